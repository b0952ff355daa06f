"""From toolpath to moves: speeds, time, G-code and back."""
