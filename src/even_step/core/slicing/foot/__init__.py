"""What holds parts to the bed: brim and raft of each, and the skirt round all."""
