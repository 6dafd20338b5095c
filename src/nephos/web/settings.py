"""Django settings. Loopback only; everything it serves ships with the application."""

import os
from urllib.parse import unquote, urlsplit

from nephos.home import HOME, ROOT, load_config

_config = load_config()
PORT = int(os.environ.get("NEPHOS_PORT", _config.web_port))

SECRET_KEY = _config.secret
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1"]
CSRF_TRUSTED_ORIGINS = [f"http://localhost:{PORT}", f"http://127.0.0.1:{PORT}"]
CSRF_COOKIE_SAMESITE = "Strict"
INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "nephos.web.apps.NephosConfig",
]
MIDDLEWARE = [
    "nephos.web.trace.Trace",
    "nephos.web.guard.OriginGuard",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
]
ROOT_URLCONF = "nephos.web.urls"
ASGI_APPLICATION = "nephos.web.asgi.application"
# A worker on another machine is given the whole address of the database.
_serves = os.environ.get("NEPHOS_ROLE") == "web"
_url = urlsplit(os.environ.get("NEPHOS_DATABASE_URL", ""))
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": _url.path.strip("/") or os.environ.get("NEPHOS_DATABASE", "nephos"),
        "USER": unquote(_url.username or "nephos"),
        "PASSWORD": unquote(_url.password or _config.database_password),
        "HOST": _url.hostname or "127.0.0.1",
        "PORT": _url.port or _config.database_port,
        # A new connection costs 18 ms. The pages share a few; workers and tests open their own.
        "CONN_MAX_AGE": 0,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"pool": {"min_size": 2, "max_size": 8}} if _serves else {},
        "TEST": {"NAME": os.environ.get("NEPHOS_TEST_DATABASE", "nephos_test")},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
STATICFILES_DIRS = [ROOT / "frontend" / "dist"] if (ROOT / "frontend" / "dist").exists() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
MESH_LIMIT = int(os.environ.get("NEPHOS_MESH_LIMIT", str(400 * 1024 * 1024)))
# Tasks load every kernel: only those who run or defer them import them.
PROCRASTINATE_AUTODISCOVER_MODULE_NAME = None
PROCRASTINATE_ON_APP_READY = None
SECURE_CONTENT_TYPE_NOSNIFF = True
LOGS = HOME / "logs"
LOGS.mkdir(parents=True, exist_ok=True)
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"}},
    "handlers": {
        "file": {
            "class": "logging.handlers.RotatingFileHandler",
            "filename": str(LOGS / f"nephos-{os.environ.get('NEPHOS_ROLE', 'other')}.log"),
            "maxBytes": 5 * 2**20,
            "backupCount": 5,
            "formatter": "line",
            "delay": True,
        }
    },
    "loggers": {
        "nephos": {"handlers": ["file"], "level": "INFO"},
        "django.request": {"handlers": ["file"], "level": "ERROR", "propagate": False},
    },
}
