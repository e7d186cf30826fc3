"""Widgets and drawing that several views share; none knows a view."""
