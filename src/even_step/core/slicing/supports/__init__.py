"""Stage 7: what hangs is held by columns that come off again."""
