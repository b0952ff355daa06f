"""The worker process: what is asked of it, what it answers, and the window's end of the line."""
