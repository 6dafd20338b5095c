"""Makes the sample meshes of the Harrow Fen way-marks. Seeded: the same files each time."""
