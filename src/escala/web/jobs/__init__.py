"""Long work: its progress, and how it is cancelled."""
