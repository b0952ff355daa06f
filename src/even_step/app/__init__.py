"""The window. Qt lives here and nowhere else."""
