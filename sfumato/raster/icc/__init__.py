"""ICC profiles: bytes to tables and back, and colours through them."""
