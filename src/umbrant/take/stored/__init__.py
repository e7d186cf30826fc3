"""What stands in a take's file, read back: values, chunks of events, tables,
and what is left out for standing in the documents.
"""
