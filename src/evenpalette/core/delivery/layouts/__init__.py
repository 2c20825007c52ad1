"""Layouts: which files a game wants, and what lies in each of their channels. Plain data, shared as files."""
