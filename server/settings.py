"""Django settings. What differs between copies comes from the environment that `kt` sets."""

import os
from datetime import timedelta
from pathlib import Path

from csp.constants import NONCE, NONE, SELF
from django.core.exceptions import ImproperlyConfigured

BASE_DIR = Path(__file__).resolve().parent.parent
VAR_DIR = Path(os.environ.get("KT_VAR", BASE_DIR / "var"))
WEB_DIST = BASE_DIR / "web" / "dist"

if not os.environ.get("KT_SECRET"):
    raise ImproperlyConfigured(
        "KT_SECRET is not set: start Django by ./kt manage, or set a long random secret."
    )
SECRET_KEY = os.environ["KT_SECRET"]
DEBUG = False

# Where people reach it from other machines: KT_HOSTS names its hosts, comma between; KT_HTTPS=1 when they do
# so by HTTPS; KT_TRUSTED_PROXY is the address of the proxy whose X-Forwarded headers are believed (see
# server/__main__.py).
HOSTS = [host.strip() for host in os.environ.get("KT_HOSTS", "").split(",") if host.strip()]
HTTPS = os.environ.get("KT_HTTPS") == "1"
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *HOSTS]
CSRF_TRUSTED_ORIGINS = [f"{'https' if HTTPS else 'http'}://{host}" for host in HOSTS]
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = HTTPS
SECURE_REDIRECT_EXEMPT = [r"^health$", r"^ready$"]
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if HTTPS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = HTTPS

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "ninja",
    "django_tasks",
    "django_tasks_db",
    "server.accounts",
    "server.jobs",
    "server.audit",
    "server.levels",
    "server.document",
    "server.stock",
    "server.stands",
    "server.pins",
    "server.snapshots",
    "server.journal",
    "server.shapes",
    "server.surfaces",
    "server.ground",
    "server.handover",
    "server.catalogue",
    "server.view",
    "server.sight",
    "server.team",
]

LEVEL_ROWS = [
    "server.levels.rows",
    "server.ground.rows",
    "server.shapes.rows",
    "server.surfaces.rows",
    "server.stock.rows",
    "server.stands.rows",
    "server.pins.rows",
    "server.snapshots.rows",
]
"""What reads and writes each noun of a level: see `server.document.planted`."""

MIDDLEWARE = [
    "server.access_log.AccessLog",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "server.errors.BodyLimit",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "server.accounts.sliding.SlidingSession",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
    "server.errors.AskAgain",
    "server.journal.trying.Trying",
]

ROOT_URLCONF = os.environ.get("KT_ROOT_URLCONF", "server.urls")
WSGI_APPLICATION = "server.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("KT_DB_NAME", "knee_thicket"),
        "USER": os.environ.get("KT_DB_USER", "kt"),
        "PASSWORD": os.environ.get("KT_DB_PASSWORD", ""),
        "HOST": "127.0.0.1",
        "PORT": os.environ.get("KT_DB_PORT", "3306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "connect_timeout": 5, "read_timeout": 120, "write_timeout": 120},
        "TEST": {
            "NAME": os.environ.get("KT_TEST_DB"),
            "CHARSET": "utf8mb4",
            "COLLATION": "utf8mb4_unicode_ci",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["server.accounts.hashing.Hasher"]
# Wrong passwords are counted by name (django-axes) and tries by address (server/accounts/limits.py), apart
# from each other.
AXES_FAILURE_LIMIT = 6
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_LOCKOUT_PARAMETERS = ["username"]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W006"]
AXES_WHITELIST_CALLABLE = "server.accounts.limits.is_own_session"
AXES_LOCKOUT_CALLABLE = "server.accounts.limits.locked_out"
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache",
        "LOCATION": "django_cache",
        "OPTIONS": {"MAX_ENTRIES": 5000},
    }
}

SCHEDULER = os.environ.get("KT_SCHEDULER", "")
"""Address of a Dask scheduler on whose workers bakes and plants.csv are made; in this process when empty."""
TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": []}}

SESSION_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_AGE = 14 * 24 * 3600
CSRF_COOKIE_SAMESITE = "Strict"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF, NONCE],
        "style-src-attr": ["'unsafe-inline'"],
        "img-src": [SELF, "blob:", "data:"],
        "connect-src": [SELF, "blob:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

BODY_LIMIT = 512 * 1024
FILE_LIMITS = {
    "/drafts": 160 << 20,
    "/shelf/bring": 300 << 20,
    "/masks": 40 << 20,
    "/colour-masks": 40 << 20,
    "/colour-masks/look": 40 << 20,
    "/painting": 140 << 20,
    "/shapes.geojson": 40 << 20,
    "/tips": 3 << 20,
    "/layers/texture": 40 << 20,
    "/devices/calibrate": 3 << 20,
    "/saved-levels": 400 << 20,
}
"""Ends of the paths where files are sent to, and how large a request there may be."""
DATA_UPLOAD_MAX_MEMORY_SIZE = BODY_LIMIT

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_TZ = True
STATIC_URL = "/static/"
STATIC_ROOT = WEB_DIST
WHITENOISE_AUTOREFRESH = False
WHITENOISE_USE_FINDERS = True
WHITENOISE_KEEP_ONLY_HASHED_FILES = False

TEST_RUNNER = "tests.runner.Runner"
_LOG_FILE = os.environ.get("KT_LOG")
"""Where `kt` has this process keep its log; on the terminal alone when it is not set."""
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"lines": {"()": "server.access_log.JsonLines"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler", "level": "ERROR"},
        **(
            {
                "file": {
                    "class": "logging.handlers.RotatingFileHandler",
                    "filename": _LOG_FILE,
                    "maxBytes": 20_000_000,
                    "backupCount": 5,
                    "formatter": "lines",
                    "delay": True,
                }
            }
            if _LOG_FILE
            else {}
        ),
    },
    "root": {
        "handlers": ["console", *(["file"] if _LOG_FILE else [])],
        "level": "INFO" if _LOG_FILE else "ERROR",
    },
    "loggers": {
        "django.request": {"level": "ERROR"},
        "django_tasks": {"level": "WARNING"},
        "django_tasks_db": {"level": "WARNING"},
    },
}
