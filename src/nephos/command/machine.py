"""What the machine must have: Debian packages, npm packages, the built page, compiled kernels."""

import hashlib
import os
import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Lock

from nephos.home import HOME, ROOT

FRONTEND = ROOT / "frontend"
_INSTALLING = Lock()


class SetupFailed(Exception):
    """Something that Nephos needs could not be had; the message says what and what to do."""


def say(text: str) -> None:
    """Tell the person at the terminal."""
    print(f"nephos: {text}", file=sys.stderr, flush=True)


def run_logged(words: list[str], log: str, failed: str, cwd: Path | None = None) -> None:
    """Run a command with its output in a log; one clear line where it fails."""
    HOME.mkdir(parents=True, exist_ok=True)
    with (HOME / log).open("ab") as out:
        done = subprocess.run(
            words, check=False, stdout=out, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL, cwd=cwd
        )
    if done.returncode:
        raise SetupFailed(f"{failed} (.nephos/{log} has the details)")


def ensure_packages(wanted: dict[str, str]) -> None:
    """Install the Debian packages (values) whose program (keys, a name or a path) is missing."""
    missing = [package for program, package in wanted.items() if not (shutil.which(program) or Path(program).exists())]
    if not missing:
        return
    say(f"installing Debian packages: {' '.join(missing)}")
    root = [] if os.geteuid() == 0 else ["sudo"]
    failed = f"could not install {' '.join(missing)}: is the network up, and may you use sudo?"
    with _INSTALLING:
        run_logged([*root, "apt-get", "update", "-qq"], "apt.log", failed)
        run_logged(
            [
                *root,
                "env",
                "DEBIAN_FRONTEND=noninteractive",
                "apt-get",
                "install",
                "-y",
                "-qq",
                "--no-install-recommends",
                *missing,
            ],
            "apt.log",
            failed,
        )


def _hash_of(paths: list[Path]) -> str:
    h = hashlib.sha256()
    for path in sorted(paths):
        h.update(path.name.encode() + path.read_bytes())
    return h.hexdigest()


def _unless_stamped(name: str, stamp: str, kept: Path) -> bool:
    path = HOME / f"{name}.stamp"
    return not (kept.exists() and path.exists() and path.read_text() == stamp)


def _stamp(name: str, stamp: str) -> None:
    (HOME / f"{name}.stamp").write_text(stamp)


def npm(*words: str) -> None:
    """Run npm in the front end's folder."""
    run_logged(["npm", *words], "npm.log", f"npm {' '.join(words)} failed: is the network up?", cwd=FRONTEND)


def ensure_frontend() -> None:
    """Install the npm packages and build the page, where anything changed."""
    ensure_packages({"npm": "npm", "node": "nodejs"})
    lock = _hash_of([FRONTEND / "package-lock.json", FRONTEND / "package.json"])
    if _unless_stamped("npm", lock, FRONTEND / "node_modules"):
        say("installing the page's packages")
        # Not `npm ci`: it asks the lock for the optional packages of other platforms too.
        npm("install", "--no-save")
        _stamp("npm", lock)
    sources = [path for path in (FRONTEND / "src").rglob("*") if path.is_file() and path.name != "schema.d.ts"]
    sources += [FRONTEND / "index.html", FRONTEND / "vite.config.ts", FRONTEND / "tsconfig.json"]
    sources += [path for path in (ROOT / "src" / "nephos").rglob("*.py")]
    # The help shows them.
    sources += list((ROOT / "docs").glob("*.md"))
    built = lock + _hash_of(sources)
    if _unless_stamped("build", built, FRONTEND / "dist" / "index.html"):
        say("building the page")
        make_types()
        npm("run", "build")
        _stamp("build", built)


def ensure_built() -> None:
    """All that is made from the sources: the page and the kernels, side by side, as both keep one core busy."""
    with ThreadPoolExecutor(2) as pool:
        for done in [pool.submit(ensure_frontend), pool.submit(ensure_kernels)]:
            done.result()


def make_types() -> None:
    """TypeScript types from the API's OpenAPI document."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")
    import json

    import django

    django.setup()
    from nephos.web.api import api

    document = HOME / "openapi.json"
    document.write_text(json.dumps(api.get_openapi_schema(), default=str))
    (FRONTEND / "src" / "api").mkdir(parents=True, exist_ok=True)
    options = ("--default-non-nullable", "false", "-o", "src/api/schema.d.ts")
    npm("exec", "--", "openapi-typescript", str(document), *options)


def ensure_kernels() -> None:
    """Compile every kernel into the cache by cutting a small part, where the core changed."""
    stamp = _hash_of(list((ROOT / "src" / "nephos" / "core").rglob("*.py")))
    if _unless_stamped("kernels", stamp, HOME):
        say("compiling the kernels")
        run_logged([sys.executable, "-m", "nephos.command.warm"], "kernels.log", "the kernels could not be compiled")
        _stamp("kernels", stamp)
