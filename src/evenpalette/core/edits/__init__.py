"""Everything that can be done to a document: functions from State to State, one file per subject.

They never change what they are given, and raise an EvenPaletteError worded for the artist when they cannot.
"""
