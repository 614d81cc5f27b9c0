"""Compiled inner loops (Numba). Importing a module here compiles or loads it: only `warm` and workers do."""
