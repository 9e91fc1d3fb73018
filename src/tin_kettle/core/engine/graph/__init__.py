"""What a recipe is at work: nodes, stage nodes, splits, chain nodes, faders."""
