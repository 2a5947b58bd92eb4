"""Escala: split a render into its passes, verify their sum, rebalance its lights."""
