"""The graph of stages: what is worked out of a plan, in which order, and under which keys it is kept.

Each stage is a frozen value: its fields are all that it may read. Its key is their hash."""
