"""The surface as a cutter meets it: contact, drop-cutter, fields of cutter locations."""
