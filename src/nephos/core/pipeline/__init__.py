"""Keys, stages and their store; from a plan to programs and proof."""
