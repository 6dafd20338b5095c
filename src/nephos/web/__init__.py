"""The web application: models, API, tasks. It computes nothing; that is done by workers with the core."""
