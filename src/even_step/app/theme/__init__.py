"""How the window looks: colours, type, icons, style."""
