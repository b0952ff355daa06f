"""How figures read on screen."""

from __future__ import annotations


def clock(seconds: float) -> str:
    """Say a time in hours and minutes, or minutes and seconds."""
    whole = round(seconds)
    hours, minutes = whole // 3600, whole // 60 % 60
    if hours:
        return f"{hours} h {minutes:02d} min"
    return f"{minutes} min {whole % 60:02d} s" if minutes else f"{whole} s"


def rough_clock(seconds: float) -> str:
    """Say a time that is only roughly known."""
    if seconds < 3600:
        return f"≈ {max(1, round(seconds / 60))} min"
    quarters = round(seconds / 900)
    return f"≈ {quarters // 4} h {quarters % 4 * 15:02d}"


def grams(mass: float) -> str:
    """Say a mass."""
    return f"{mass:.1f} g" if mass < 1000 else f"{mass / 1000:.2f} kg"


def millimetres(length: float) -> str:
    """Say a length on the bed."""
    return f"{length:.2f}".rstrip("0").rstrip(".") if length < 10 else f"{length:.1f}".removesuffix(".0")


def size(lengths: tuple[float, ...]) -> str:
    """Say width × depth × height in mm."""
    return " × ".join(millimetres(length) for length in lengths)
