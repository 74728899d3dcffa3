"""Settings of the server; everything that differs between places comes from the environment."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from csp.constants import NONCE, NONE, SELF, UNSAFE_INLINE

from config.environment import environment

BASE_DIR = Path(__file__).resolve().parent.parent
ROOT = BASE_DIR.parent
WEB_DIST = ROOT / "web" / "dist"

INSTALLATION = environment()
PRODUCTION = INSTALLATION.production
SECRET_KEY = INSTALLATION.secret_key.get_secret_value() or "only-for-tests-and-development"
DEBUG = False
ALLOWED_HOSTS = INSTALLATION.host_names

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "django_vite",
    "csp",
    "ninja",
    "accounts",
    "jobs",
    "inbox",
    "catalogue",
    "house",
    "measured",
    "studies",
    "runs",
    "intake",
    "signing",
    "builds",
    "sweeps",
    "handover",
    "starters",
    "api",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "api.gate.Gate",
]

ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "config" / "templates"],
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": INSTALLATION.db_host,
        "PORT": INSTALLATION.db_port,
        "NAME": INSTALLATION.db_name,
        "USER": INSTALLATION.db_user,
        "PASSWORD": INSTALLATION.db_password.get_secret_value(),
        "OPTIONS": {"sslmode": INSTALLATION.db_sslmode, "connect_timeout": INSTALLATION.db_connect_s},
        # Of connections that are kept (config/wsgi.py), what broke while it was idle is noticed and replaced.
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "accounts.User"
TEST_RUNNER = "config.timed_tests.TimedRunner"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]

if "test" in sys.argv:
    # Tests make people by the dozen; the slow hash that guards real passwords would be most of their time.
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

CACHES = {
    # What is made from a price list that never changes: a large matrix has two megabytes.
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 24}},
    # What was found or worked out here, and is asked for with almost every answer; the largest is a plan's figures.
    "own": {
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "LOCATION": "own",
        "OPTIONS": {"MAX_ENTRIES": 200},
    },
    # What every web process may answer with, whichever made it; the table comes with the migrations of runs.
    "shared": {
        "BACKEND": "config.kept.KeptAnswers",
        "LOCATION": "kept_answers",
        "OPTIONS": {"MAX_ENTRIES": 2000},
    },
}

TIME_ZONE = "UTC"
USE_TZ = True
LANGUAGE_CODE = "en-gb"

STATIC_URL = "/static/"
STATIC_ROOT = BASE_DIR / "static-collected"
STATICFILES_DIRS = [WEB_DIST] if WEB_DIST.is_dir() else []
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
DJANGO_VITE = {"default": {"dev_mode": False, "manifest_path": WEB_DIST / "manifest.json", "static_url_prefix": ""}}
_HASHED = re.compile(r"^.+-[0-9A-Za-z_-]{8}\.(js|css|woff2?)$")


def WHITENOISE_IMMUTABLE_FILE_TEST(path: str, url: str) -> bool:  # noqa: N802
    """Return whether the file's name carries a hash of its content."""
    return _HASHED.match(url) is not None


DATA_UPLOAD_MAX_MEMORY_SIZE = 24 * 2**20
# A working day: whoever left a browser open somewhere is signed out by the next.
SESSION_COOKIE_AGE = 12 * 3600
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
if PRODUCTION:
    SECURE_SSL_REDIRECT = True
    SECURE_HSTS_SECONDS = 31_536_000
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
    SECURE_HSTS_PRELOAD = True
    SESSION_COOKIE_SECURE = True
    CSRF_COOKIE_SECURE = True
    # Browsers take cookies of such names from this host alone, and never from a neighbour under the same domain.
    SESSION_COOKIE_NAME = "__Host-sessionid"
    CSRF_COOKIE_NAME = "__Host-csrftoken"
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF, NONCE],
        "style-src": [SELF, UNSAFE_INLINE],
        "style-src-elem": [SELF, NONCE],
        "style-src-attr": [UNSAFE_INLINE],
        "img-src": [SELF, "data:", "blob:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"json": {"()": "config.logs.JsonFormatter"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "json"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
    "loggers": {
        "procrastinate": {"level": "WARNING"},
        "django.request": {"level": "ERROR"},
        "rombel": {"level": INSTALLATION.log_level},
    },
}
