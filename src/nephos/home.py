"""Where Nephos keeps what it makes on this machine: the cluster, its password, logs, sample meshes."""

import hashlib
import json
import os
import secrets
from dataclasses import asdict, dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
HOME = Path(os.environ.get("NEPHOS_HOME", ROOT / ".nephos"))


def database_folder() -> Path:
    """Folder of the PostgreSQL cluster: beside the rest, or where the database's own user can get at it if we are
    root."""
    if os.geteuid() != 0:
        return HOME / "postgres"
    return Path("/var/lib/nephos") / hashlib.sha256(str(HOME).encode()).hexdigest()[:12]


@dataclass(frozen=True)
class Config:
    """Ports on loopback, the database password and the secret of the web application."""

    database_port: int
    database_password: str
    secret: str
    web_port: int = 8460


def load_config() -> Config:
    """The configuration of this copy; made with new secrets the first time."""
    path = HOME / "config.json"
    if path.exists():
        return Config(**json.loads(path.read_text()))
    HOME.mkdir(parents=True, exist_ok=True)
    # The port follows from the folder, so that two copies on one machine do not meet.
    port = 20000 + sum(str(HOME).encode()) * 7 % 9000
    config = Config(port, secrets.token_urlsafe(24), secrets.token_urlsafe(48))
    partial = path.with_suffix(".part")
    partial.touch(mode=0o600)
    partial.write_text(json.dumps(asdict(config)))
    partial.rename(path)
    return config
