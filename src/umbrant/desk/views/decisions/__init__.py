"""The decision map in the window: which row would lead now, over two inputs."""
