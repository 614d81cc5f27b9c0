"""The path of a colour: how glazes lie on it, and what the ends of a LUT are."""
