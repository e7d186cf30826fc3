"""Tests of the review."""
