"""Looks out of pictures: a graded one beside its original, a reference, another shot."""
