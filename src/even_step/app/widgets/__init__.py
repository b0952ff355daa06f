"""Small widgets, each knowing one thing."""
