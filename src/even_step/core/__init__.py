"""The computation. No Qt, no OpenGL, nothing of the user's home.

Units throughout: mm, mm², mm³, s, g, °C; angles in degrees where a name does not say rad.
"""
