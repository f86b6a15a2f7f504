"""Settings, all from the environment with sound defaults; `RULKA_DEMO=1` opens the one-click demo sign-in."""

import os
import secrets
from pathlib import Path
from typing import Any

import dj_database_url
from csp.constants import NONCE, SELF, UNSAFE_INLINE
from django.core.exceptions import ImproperlyConfigured

BASE_DIR = Path(__file__).resolve().parent.parent.parent
VAR = Path(os.environ.get("RULKA_VAR", BASE_DIR / "var"))
os.umask(0o077)  # databases and files are for the service's user only
VAR.mkdir(mode=0o700, parents=True, exist_ok=True)
for _kept in VAR.glob("*.sqlite3*"):
    _kept.chmod(0o600)

DEBUG = os.environ.get("RULKA_DEBUG") == "1"
DEMO = os.environ.get("RULKA_DEMO") == "1"
DEMO_PEOPLE = BASE_DIR / "demo" / "people.json"
ALLOWED_HOSTS = os.environ.get("RULKA_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("RULKA_ORIGINS", "").split(",") if origin]
ADDRESS = os.environ.get("RULKA_ADDRESS") or next(iter(CSRF_TRUSTED_ORIGINS), "")


def _secret_key() -> str:
    if given := os.environ.get("RULKA_SECRET_KEY"):
        return given
    kept = VAR / "secret-key"
    if not kept.exists():
        descriptor = os.open(kept, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as file:
            file.write(secrets.token_urlsafe(48))
    return kept.read_text()


SECRET_KEY = _secret_key()


def folders_from(text: str) -> dict[str, str]:
    """Folders by name from `name=/path,name=/path`; refused where one has no name or no path."""
    folders = {}
    for one in filter(None, (part.strip() for part in text.split(","))):
        name, mark, path = (part.strip() for part in one.partition("="))
        if not (name and mark and path):
            raise ImproperlyConfigured(f"RULKA_SEND_FOLDERS: '{one}' names no folder. Write name=/path.")
        folders[name] = path
    return folders


INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "csp",
    "django_htmx",
    "django_tasks",
    "django_tasks_db",
    "rulka.people",
    "rulka.work",
    "rulka.ledger",
    "rulka.statements",
    "rulka.rebuilds",
    "rulka.extracts",
    "rulka.worksheets",
    "rulka.overviews",
    "rulka.folios",
    "rulka.filings",
    "rulka.dispatch",
    "rulka.web",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "rulka.web.middleware.SessionAgeMiddleware",
    "rulka.web.middleware.LookingMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "rulka.web.middleware.RefusalMiddleware",
]

ROOT_URLCONF = "rulka.web.urls"
WSGI_APPLICATION = "rulka.web.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "csp.context_processors.nonce",
                "rulka.web.shell.shell",
            ],
            "builtins": ["rulka.people.templatetags.screens"],
        },
    }
]

SQLITE_OPTIONS: dict[str, Any] = {
    "transaction_mode": "IMMEDIATE",
    "timeout": 5,
    "init_command": (
        "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON; PRAGMA cache_size=-262144; "
        "PRAGMA temp_store=MEMORY;"
    ),
}


def _database(url: str) -> dict[str, Any]:
    settings: dict[str, Any] = dict(dj_database_url.parse(url))
    if settings["ENGINE"].endswith("sqlite3"):
        settings["OPTIONS"] = {**settings.get("OPTIONS", {}), **SQLITE_OPTIONS}
    return settings


DATABASES = {
    "default": _database(os.environ.get("DATABASE_URL") or f"sqlite:///{VAR / 'rulka.sqlite3'}"),
    "work": _database(os.environ.get("RULKA_WORK_URL") or f"sqlite:///{VAR / 'work.sqlite3'}"),
}
for (
    _name,
    _settings,
) in DATABASES.items():  # tests use files as well: a database in memory has neither WAL nor waiting readers
    _settings["TEST"] = {"NAME": str(VAR / f"test-{_name}.sqlite3")}
DATABASE_ROUTERS = ["rulka.work.routing.WorkRouter"]
TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}
FEED_FOLDER = os.environ.get("RULKA_FEED_FOLDER") or str(VAR / "feeds")
FEED_HOSTS = [host.strip().lower() for host in os.environ.get("RULKA_FEED_HOSTS", "").split(",") if host.strip()]
FEED_PRIVATE = os.environ.get("RULKA_FEED_PRIVATE", "1" if DEMO else "0") == "1"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "people.Person"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "CommonPasswordValidator", "NumericPasswordValidator")
]
AUTH_PASSWORD_VALIDATORS.append(
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 12}}  # type: ignore[dict-item]
)
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "home"
LOGOUT_REDIRECT_URL = "sign-in"

LANGUAGE_CODE = "en-gb"
TIME_ZONE = os.environ.get("RULKA_TIME_ZONE", "UTC")
USE_TZ = True
USE_I18N = False

STATIC_URL = "static/"
STATIC_ROOT = VAR / "static"
STATIC_ROOT.mkdir(exist_ok=True)
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF],
        "style-src-elem": [SELF, NONCE],
        "style-src-attr": [UNSAFE_INLINE],
        "img-src": [SELF, "data:"],
        "object-src": ["'none'"],
        "base-uri": ["'none'"],
        "form-action": [SELF],
        "frame-ancestors": ["'none'"],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_ENGINE = "rulka.web.sessions"
SESSION_IDLE = 60 * int(os.environ.get("RULKA_IDLE_MINUTES", "60"))
SESSION_LONGEST = SESSION_COOKIE_AGE = 3600 * int(os.environ.get("RULKA_SESSION_HOURS", "12"))
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = os.environ.get("RULKA_HTTPS") == "1"
SECURE_REDIRECT_EXEMPT = [r"^health/"]
SECURE_HSTS_SECONDS = int(os.environ.get("RULKA_HSTS_SECONDS", "31536000")) if SECURE_SSL_REDIRECT else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_SSL_REDIRECT
SILENCED_SYSTEM_CHECKS = ["security.W021"]  # whether browsers list a domain is decided by who owns the domain
MAIL_HOST = os.environ.get("RULKA_MAIL_HOST", "")
MAIL_PORT = int(os.environ.get("RULKA_MAIL_PORT", "25"))
MAIL_TLS = os.environ.get("RULKA_MAIL_TLS") == "1"
MAIL_USER = os.environ.get("RULKA_MAIL_USER", "")
MAIL_SECRET = os.environ.get("RULKA_MAIL_SECRET", "")
MAIL_FROM = os.environ.get("RULKA_MAIL_FROM", "")
ARRIVED = os.environ.get("RULKA_DEMO_ARRIVED", "") if DEMO else ""
SEND_PLAIN = os.environ.get("RULKA_SEND_PLAIN") == "1"
SEND_FOLDERS = folders_from(os.environ.get("RULKA_SEND_FOLDERS", ""))
RECORD_DAYS = int(os.environ.get("RULKA_RECORD_DAYS", "3650"))
LEFT_DAYS = int(os.environ.get("RULKA_LEFT_DAYS", "1095"))
SENT_DAYS = int(os.environ.get("RULKA_SENT_DAYS", "1095"))
OUTPUT_DAYS = int(os.environ.get("RULKA_OUTPUT_DAYS", "30"))
RUN_DAYS = int(os.environ.get("RULKA_RUN_DAYS", "400"))
JOB_DAYS = int(os.environ.get("RULKA_JOB_DAYS", "90"))
SAMPLE_DAYS = int(os.environ.get("RULKA_SAMPLE_DAYS", "90"))
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_500_000

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"without-keys": {"()": "rulka.web.logs.WithoutKeys"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "filters": ["without-keys"]}},
    "loggers": {
        "rulka": {"handlers": ["console"], "level": "INFO"},
        "django": {"handlers": ["console"], "level": "INFO"},
        "django.server": {"handlers": ["console"], "level": "INFO", "propagate": False},
    },
}
