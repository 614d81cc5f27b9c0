"""Neutral pictures that go out to other programs, and what comes back of them."""
