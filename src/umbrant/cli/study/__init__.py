"""`umbrant study`: playing the takes, and telling what they say."""
