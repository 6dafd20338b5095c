"""The plan as a value: schema, checks, estimates, and the pipeline that works it out."""
