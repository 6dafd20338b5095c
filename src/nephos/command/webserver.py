"""The web server: uvicorn on loopback, as a child of `./nephos start`."""

import os
import sys

import uvicorn

from nephos.processes import end_with_parent


def main(port: int) -> None:
    """Serve until told to stop."""
    end_with_parent()
    uvicorn.run(
        "nephos.web.asgi:application",
        host="127.0.0.1",
        port=port,
        log_level="warning",
        server_header=False,
        # Event streams never end by themselves.
        timeout_graceful_shutdown=1,
        workers=min(2, os.cpu_count() or 1),
    )


if __name__ == "__main__":
    main(int(sys.argv[1]))
