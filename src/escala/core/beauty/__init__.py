"""Beauty: recipes, their sums and their proof."""
