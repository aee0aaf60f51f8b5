"""Settings of the booking service."""

import os

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("SAILINGS_DB_NAME", "sailings"),
        "HOST": os.environ["SAILINGS_DB_HOST"],
        "PORT": os.environ.get("SAILINGS_DB_PORT", "5432"),
        "USER": os.environ.get("SAILINGS_DB_USER", "purser"),
        "PASSWORD": os.environ["SAILINGS_DB_PASSWORD"],
        "OPTIONS": {"connect_timeout": 5},
    }
}
