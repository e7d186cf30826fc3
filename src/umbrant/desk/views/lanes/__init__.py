"""A lane for each agent below the ledger, and the ruler with the cues."""
