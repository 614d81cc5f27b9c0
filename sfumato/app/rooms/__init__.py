"""The rooms, a package each; found by walking this folder."""
