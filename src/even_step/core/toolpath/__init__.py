"""The toolpath as arrays, and the table of roles."""
