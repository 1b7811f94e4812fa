"""Settings, all from environment variables; `bin/demo` and `bin/serve` set them (docs/architecture.md lists them)."""

from __future__ import annotations

import os
from pathlib import Path

from csp.constants import NONE, SELF, UNSAFE_INLINE
from django.core.exceptions import ImproperlyConfigured

from neat_verdict.core.limits import MAX_BODY_BYTES

ROOT = Path(__file__).resolve().parents[3]
DATA = Path(os.environ.get("NEAT_VERDICT_DATA", ROOT / "var"))
DEMO = os.environ.get("NEAT_VERDICT_DEMO") == "1"
# The demo's origin and that of its booking site, which bin/demo serves at a port of its own.
DEMO_ORIGIN = os.environ.get("NEAT_VERDICT_DEMO_ORIGIN", "") if DEMO else ""
DEMO_SITE = os.environ.get("NEAT_VERDICT_DEMO_SITE", "") if DEMO else ""
DEBUG = False

SECRET_KEY = os.environ.get("NEAT_VERDICT_SECRET_KEY", "")
if not SECRET_KEY:
    raise ImproperlyConfigured(
        "NEAT_VERDICT_SECRET_KEY is not set. Give a long random text, for instance that printed by: "
        "python -c 'import secrets; print(secrets.token_urlsafe(50))'"
    )
ALLOWED_HOSTS = os.environ.get("NEAT_VERDICT_HOSTS", "127.0.0.1,localhost").split(",")
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("NEAT_VERDICT_ORIGINS", "").split(",") if origin]
HTTPS = os.environ.get("NEAT_VERDICT_HTTPS") == "1"
# Of each process. What is counted by names that people type must not push out what is counted by others.
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 100_000}}}
# How many proxies of our own stand before it: of what they say the address is, only so much is believed.
PROXIES = int(os.environ.get("NEAT_VERDICT_PROXIES", "1" if HTTPS else "0"))
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
if HTTPS:
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    # 0 where names below ours are served by others, and not by HTTPS.
    SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = os.environ.get("NEAT_VERDICT_HSTS_BELOW") != "0"
    SECURE_SSL_REDIRECT = True
    # Who speaks HTTPS is the proxy before it; bin/serve listens to nobody else.
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_CONTENT_TYPE_NOSNIFF = True
# Without doing anything one stays signed in for so long, and for so many days in all.
SESSION_COOKIE_AGE = round(float(os.environ.get("NEAT_VERDICT_IDLE_HOURS", "336")) * 3600)
SESSION_DAYS = float(os.environ.get("NEAT_VERDICT_SESSION_DAYS", "90"))
# Who may read the description of the API.
API_DESCRIPTION = os.environ.get("NEAT_VERDICT_API_DESCRIPTION", "signed-in")
if API_DESCRIPTION not in ("open", "signed-in", "off"):
    raise ImproperlyConfigured(
        f"NEAT_VERDICT_API_DESCRIPTION is {API_DESCRIPTION!r}; it must be open, signed-in or off"
    )
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "style-src": [SELF, UNSAFE_INLINE],
        "img-src": [SELF, "data:", "blob:"],
        "frame-src": ["http:", "https:"],  # pages of sites, looked at in frames that may do nothing to ours
        "frame-ancestors": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "object-src": [NONE],
    }
}
X_FRAME_OPTIONS = "DENY"
SILENCED_SYSTEM_CHECKS = [] if HTTPS else ["security.W012", "security.W016", "security.W008", "security.W004"]

INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "ninja",
    "neat_verdict.app.http",
    "neat_verdict.app.people",
    "neat_verdict.app.metrics",
    "neat_verdict.app.experiments",
    "neat_verdict.app.traffic",
    "neat_verdict.app.site",
    "neat_verdict.app.planning",
    "neat_verdict.app.collect",
    "neat_verdict.app.regions",
    "neat_verdict.app.sources",
    "neat_verdict.app.analysis",
    "neat_verdict.app.watch",
    "neat_verdict.app.webhooks",
    "neat_verdict.app.privacy",
    "neat_verdict.app.casebook",
    "neat_verdict.app.reports",
    "neat_verdict.app.portable",
    "neat_verdict.app.standins",
    "neat_verdict.app.demo",
]
MIDDLEWARE = [
    "neat_verdict.app.watch.installation.Probes",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "neat_verdict.app.http.compressed.CompressedAnswers",
    "neat_verdict.app.http.logs.RequestLog",
    "neat_verdict.app.http.headers.PrivateAnswers",
    "neat_verdict.app.http.head.HeadAsGet",
    "neat_verdict.app.http.refusals.EveryRefusalIsAProblem",
    "csp.middleware.CSPMiddleware",
    "neat_verdict.app.http.damage.NothingIsWrittenToDamage",
    *(["neat_verdict.app.standins.own_port.SiteAlone"] if DEMO_SITE else []),
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "neat_verdict.app.people.sessions.SessionLimits",
    "neat_verdict.app.http.idempotency.IdempotencyKeys",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "neat_verdict.app.experiments.rounds.ClosedRoundsStay",
]
ROOT_URLCONF = "neat_verdict.app.config.urls"
WSGI_APPLICATION = "neat_verdict.app.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "neat-verdict.sqlite3",
        # A connection is opened, and its pragmas set, once a thread and not once a request.
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            # Writers queue from their first statement instead of failing when a read turns into a write.
            "transaction_mode": "IMMEDIATE",
            "timeout": float(os.environ.get("NEAT_VERDICT_BUSY_SECONDS", "20")),
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON; "
            "PRAGMA cache_size=-32768; PRAGMA temp_store=MEMORY;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "people.User"
LOGIN_URL = "/sign-in"
# A link to choose a password by works for three days.
PASSWORD_RESET_TIMEOUT = 3 * 86_400
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}", "OPTIONS": options}
    for name, options in (
        ("MinimumLengthValidator", {"min_length": 10}),
        ("UserAttributeSimilarityValidator", {}),
        ("CommonPasswordValidator", {}),
        ("NumericPasswordValidator", {}),
    )
]
# An identity provider by which one can sign in too (OpenID Connect), and how it is called on the screen.
# In the demo that is a stand-in (`app.standins.identity`).
_STANDIN = f"{DEMO_ORIGIN}/identity" if DEMO_ORIGIN else ""
OIDC_ISSUER = os.environ.get("NEAT_VERDICT_OIDC_ISSUER", _STANDIN).rstrip("/")
OIDC_CLIENT = os.environ.get("NEAT_VERDICT_OIDC_CLIENT", "neat-verdict")
OIDC_SECRET = os.environ.get("NEAT_VERDICT_OIDC_SECRET", "known-to-everybody" if DEMO else "")
OIDC_NAME = os.environ.get("NEAT_VERDICT_OIDC_NAME", "Tidewick staff" if DEMO else "your organisation")
# What somebody is made whom it knows and nobody has invited: nothing ("": refused), or a role.
OIDC_NEWCOMERS = os.environ.get("NEAT_VERDICT_OIDC_NEWCOMERS", "")
USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False

WEB_BUILD = ROOT / "web" / "dist"
STATIC_URL = "/static/"
STATIC_ROOT = DATA / "static"
STATICFILES_DIRS = [WEB_BUILD] if WEB_BUILD.exists() else []
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    # Vite has put a hash into each name already.
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
# Names under assets/ carry a hash of what is in them.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/assets/"
MEDIA_ROOT = DATA / "media"
# Files that say where lakes are, which the application counts (`app.sources.lakes`).
LAKES = Path(os.environ.get("NEAT_VERDICT_LAKES", DATA / "lakes"))
# Notices go out by mail where a server is named; in the demo into a mailbox that can be looked at.
EMAIL_HOST = os.environ.get("NEAT_VERDICT_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("NEAT_VERDICT_MAIL_PORT", "25"))
EMAIL_HOST_USER = os.environ.get("NEAT_VERDICT_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("NEAT_VERDICT_MAIL_PASSWORD", "")
EMAIL_USE_TLS = os.environ.get("NEAT_VERDICT_MAIL_TLS") == "1"
DEFAULT_FROM_EMAIL = os.environ.get("NEAT_VERDICT_MAIL_FROM", "neat-verdict@localhost")
EMAIL_TIMEOUT = 20
# Whoever buys the advertising of tests by region (`app.regions.desk.AdvertisingDesk`).
ADVERTISING_DESK = os.environ.get("NEAT_VERDICT_ADVERTISING_DESK", "")
if DEMO:
    ADVERTISING_DESK = "neat_verdict.app.standins.advertising_desk.Desk"
    EMAIL_BACKEND = "neat_verdict.app.standins.mailbox.MailboxBackend"
elif EMAIL_HOST:
    EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend"
else:
    EMAIL_BACKEND = "django.core.mail.backends.dummy.EmailBackend"
DATA_UPLOAD_MAX_MEMORY_SIZE = MAX_BODY_BYTES
MAX_FILE = 50 * 1024 * 1024
MAX_UNIT_FILE = 2048 * 1024 * 1024
# A line for people, or an object for a log store.
_LOG_FORMAT = "json" if os.environ.get("NEAT_VERDICT_LOG_FORMAT") == "json" else "line"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "line": {"format": "{asctime} {levelname} {name} {message}", "style": "{"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "format": "{levelname}{name}{message}",
            "style": "{",
            "rename_fields": {"levelname": "level", "name": "logger"},
            "timestamp": "at",
        },
    },
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": _LOG_FORMAT}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"neat_verdict": {"level": os.environ.get("NEAT_VERDICT_LOG_LEVEL", "WARNING").upper()}},
}
