"""Moods: the variants of a shot beside one another, and their balance on other shots."""
