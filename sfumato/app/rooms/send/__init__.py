"""The Send room: looks to outlets, whether their pictures agree, and what was sent."""
