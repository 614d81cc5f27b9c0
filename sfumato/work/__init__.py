"""What the program does, without a window: files, tiles, previews, exports, proofs."""
