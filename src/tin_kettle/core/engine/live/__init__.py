"""What drives the graph for the ear."""
