"""The recipe's text in other shading languages: its GLSL is read into a tree with types, and written from there."""
