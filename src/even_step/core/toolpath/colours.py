"""The colour of each role, the same on screen and in pictures."""

ROLE_COLOURS = {
    "outer-wall": "#4E6880",
    "inner-wall": "#7C8F6B",
    "gap-fill": "#A9B89B",
    "top": "#8C5A78",
    "bottom": "#B794A8",
    "solid": "#CDB9C4",
    "infill": "#D3BE82",
    "bridge": "#2F8C8C",
    "support": "#B97F68",
    "support-contact": "#8A4B36",
    "skirt": "#8D8B86",
    "brim": "#8D8B86",
    "raft": "#8D8B86",
    "purge": "#8D8B86",
    "travel": "#9AA0A6",
}
