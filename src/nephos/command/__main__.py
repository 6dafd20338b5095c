"""`./nephos`: start, stop, reset, test, cut, inspect, bench."""

import sys

_HELP = """usage: ./nephos COMMAND

  start [--port N]      install what is missing, start everything, print the address;
                        --empty leaves the sample shop out
  stop                  stop what was started
  reset                 throw away all jobs and begin anew (asks first, unless --yes is given); what was there is
                        backed up first, unless --no-backup is given
  backup FILE           write jobs, meshes, cutters, posts and settings to a file, also while it runs
  restore FILE          put a backup in the place of all that there is (asks first, unless --yes is given)
  worker [--database URL]   one more worker, on this machine or another; - asks for the address
  test [PYTEST WORDS]   set up and run all tests; --random draws other cases than CI, and more of them
  cut, compose, inspect, bench   without page and database; --help after each tells more
  screenshots           make docs/screenshots anew from the sample shop
"""


def main() -> int:
    """Run one command; returns the exit status."""
    words = sys.argv[1:]
    asks = {"-h", "--help", "help"}
    if not words or words[0] in asks:
        print(_HELP)
        return 0 if words else 2
    name, rest = words[0], words[1:]
    if name in {"stop", "reset", "screenshots"} and not asks.isdisjoint(rest):
        print(_HELP)
        return 0
    if name in {"cut", "compose", "inspect", "bench"}:
        from nephos.command.headless import run

        return run(name, rest)
    if name in {"start", "stop", "reset", "test", "screenshots", "backup", "restore", "worker"}:
        from nephos.command import service

        return service.run(name, rest)
    print(f"nephos: there is no command '{name}'; ./nephos --help lists them", file=sys.stderr)
    return 2


def script() -> None:
    """The entry point `nephos`."""
    raise SystemExit(main())


if __name__ == "__main__":
    script()
