"""What a recipe is at work: nodes, slots, splits, lanes, faders."""
