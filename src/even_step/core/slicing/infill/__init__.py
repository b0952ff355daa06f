"""Stage 6: what fills the room inside."""
