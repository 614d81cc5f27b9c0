"""What the formats share: the contract, the registry, text, XML and pictures as lattices."""
