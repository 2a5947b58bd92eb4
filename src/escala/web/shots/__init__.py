"""Shots: opened, listed, replaced, written as files; their passes as pictures."""
