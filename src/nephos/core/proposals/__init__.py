"""What to cut with what: proposals for every kind of job."""
