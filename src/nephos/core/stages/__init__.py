"""The graph of stages of a plan: their inputs, their order, and the keys of their results.

Each stage is a frozen value: its fields are all that it may read. Its key is their hash."""
