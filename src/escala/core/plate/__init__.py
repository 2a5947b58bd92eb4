"""Plate: layers placed, trimmed at their edges, laid on what is beneath, and merged by depth."""
