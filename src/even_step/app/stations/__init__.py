"""One file a station: what its sheet holds."""
