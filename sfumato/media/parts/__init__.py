"""What the kinds of pictures share: the contract, the registry, profiles, metadata, sizes."""
