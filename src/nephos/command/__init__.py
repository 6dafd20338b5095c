"""The one command, `./nephos`: what it can do, one module each."""
