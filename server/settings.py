"""Django settings. What differs between copies comes from the environment that `kt` sets."""

import os
from datetime import timedelta
from pathlib import Path

from csp.constants import NONCE, NONE, SELF

BASE_DIR = Path(__file__).resolve().parent.parent
VAR_DIR = Path(os.environ.get("KT_VAR", BASE_DIR / "var"))
WEB_DIST = BASE_DIR / "web" / "dist"

SECRET_KEY = os.environ.get("KT_SECRET", "only-for-tests")
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", "testserver"]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "ninja",
    "server.accounts",
    "server.levels",
    "server.stock",
    "server.stands",
    "server.pins",
    "server.snapshots",
    "server.journal",
    "server.shapes",
    "server.ground",
    "server.handover",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "server.errors.BodyLimit",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = os.environ.get("KT_ROOT_URLCONF", "server.urls")
WSGI_APPLICATION = "server.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("KT_DB_NAME", "knee_thicket"),
        "USER": "kt",
        "PASSWORD": os.environ.get("KT_DB_PASSWORD", ""),
        "HOST": "127.0.0.1",
        "PORT": os.environ.get("KT_DB_PORT", "3306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "connect_timeout": 5},
        "TEST": {"NAME": os.environ.get("KT_TEST_DB"), "CHARSET": "utf8mb4", "COLLATION": "utf8mb4_unicode_ci"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AXES_FAILURE_LIMIT = 6
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "server.accounts.lockout.locked_out"

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
FILE_LIMIT = 160 * 1024 * 1024
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
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "ERROR"},
}
