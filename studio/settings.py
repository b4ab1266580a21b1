"""Django settings. Everything is served from one process on the loopback interface."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from studio.logs import logging_to

BASE_DIR = Path(__file__).resolve().parent
DATA_DIR = Path(os.environ.get("CALIGO_DATA", BASE_DIR.parent / "var" / "studio"))
DATA_DIR.mkdir(parents=True, exist_ok=True)


def _secret_key() -> str:
    """A key of this installation's own, made on first use and kept beside the data."""
    path = DATA_DIR / "secret-key"
    if not path.exists() or not path.read_text():
        # An empty one is what a full disk has left of an attempt before.
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(48))
    return path.read_text()


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]

INSTALLED_APPS = [
    "django.contrib.staticfiles",
    "ninja",
    "studio.library",
    "studio.renders",
]
MIDDLEWARE = [
    "studio.security.OwnHost",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "studio.errors.PlainErrors",
    "django.middleware.common.CommonMiddleware",
    "studio.security.CsrfEverywhere",
]
ROOT_URLCONF = "studio.urls"
ASGI_APPLICATION = "studio.asgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "studio.sqlite3",
        "OPTIONS": {
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
        },
        # Tests use threads, which do not share a database in memory without locking it.
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

STATIC_URL = "/static/"
STATICFILES_DIRS = [BASE_DIR / "static"]
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False

DATA_UPLOAD_MAX_MEMORY_SIZE = 4 << 20
FILE_UPLOAD_MAX_MEMORY_SIZE = 4 << 20
MAX_SCALE_BYTES = 256 << 10
MAX_MATERIAL_BYTES = 300 << 20

# Workers are processes of their own; they find the material library by the environment, too.
os.environ.setdefault("CALIGO_MATERIAL", str(DATA_DIR / "material"))

STEMS_DIR = DATA_DIR / "stems"
STEMS_LIMIT_BYTES = 2 << 30
RENDERS_DIR = DATA_DIR / "renders"

CSRF_COOKIE_SAMESITE = "Strict"
CSRF_FAILURE_VIEW = "studio.security.forged"
APPEND_SLASH = False
LOGGING = logging_to(DATA_DIR / "log")
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
