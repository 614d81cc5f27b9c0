"""The looks that ship: one `.look` file each, made for log or for display sources."""
