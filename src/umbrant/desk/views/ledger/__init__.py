"""The ledger: outline, the column 'now', and tape on the same line."""
