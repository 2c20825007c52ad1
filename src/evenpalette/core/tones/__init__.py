"""Tones: neutral gray made to be tinted."""
