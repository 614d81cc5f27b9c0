"""What the window shows while the hand moves and at rest."""
