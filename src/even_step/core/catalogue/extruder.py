from even_step.core.catalogue.setting import Setting

WITH_RECIPE = ("recipe", "job", "part")  # a recipe may be made for supports that dissolve


def _lays(
    name: str, label: str, what: str, synonyms: tuple[str, ...], scopes: tuple[str, ...] = ("job", "part", "zone")
) -> Setting:
    return Setting(
        f"extruder.{name}",
        label,
        "count",
        1,
        f"Which extruder lays {what}, counted from 1.",
        range=(1, 16),
        step=1,
        level="wider",
        scopes=scopes,
        synonyms=("second nozzle", "material", "colour", "two", *synonyms),
        cost="Each change within a layer costs its time, and plastic to purge.",
    )


WALLS = _lays("walls", "Extruder for walls", "walls, what fills gaps between them, and the foot", ("part",))
INFILL = _lays("infill", "Extruder for infill", "infill", ())
COVERS = _lays("covers", "Extruder for covers", "tops, bottoms, full layers and bridges", ("top", "bottom"))
SUPPORTS = _lays("supports", "Extruder for supports", "supports", ("soluble",), WITH_RECIPE)
CONTACT = _lays(
    "contact", "Extruder for contact layers", "the layers of supports that touch the part", ("soluble",), WITH_RECIPE
)
ALL = (WALLS, INFILL, COVERS, SUPPORTS, CONTACT)
