"""Django settings. Loopback only; everything it serves ships with the application."""

import os

from nephos.command.home import HOME, ROOT, load_config

_config = load_config()
PORT = int(os.environ.get("NEPHOS_PORT", _config.web_port))

SECRET_KEY = _config.secret
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "testserver"]
CSRF_TRUSTED_ORIGINS = [f"http://localhost:{PORT}", f"http://127.0.0.1:{PORT}"]
CSRF_COOKIE_SAMESITE = "Strict"
INSTALLED_APPS = [
    "django.contrib.contenttypes", "django.contrib.staticfiles", "procrastinate.contrib.django",
    "nephos.web.apps.NephosConfig",
]
MIDDLEWARE = [
    "nephos.web.guard.OriginGuard",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
]
ROOT_URLCONF = "nephos.web.urls"
ASGI_APPLICATION = "nephos.web.asgi.application"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql", "NAME": os.environ.get("NEPHOS_DATABASE", "nephos"), "USER": "nephos",
        "PASSWORD": _config.database_password, "HOST": "127.0.0.1", "PORT": _config.database_port,
        "CONN_MAX_AGE": 0, "TEST": {"NAME": os.environ.get("NEPHOS_TEST_DATABASE", "nephos_test")},
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
