"""What a project, a behavior, an own node and an example of a kind begin as."""
