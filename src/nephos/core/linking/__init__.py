"""Links, entries, pass order, air cuts."""
