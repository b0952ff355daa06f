"""The commands, one file each (inspect holds the ones that only look)."""
