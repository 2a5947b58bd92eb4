"""The benchmarks: each figure is a ratio within one run, so that any machine can judge."""
