"""Delivery: what a game gets."""
