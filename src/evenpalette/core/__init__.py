"""The numeric truth of Even Palette: no interface code, no drawing code."""
