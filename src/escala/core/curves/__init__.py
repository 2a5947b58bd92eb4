"""Values over time: keys, generators; plain double arithmetic, so that every machine gives the same bits."""
