import os

DATABASES = {
    "timetable": {
        "ENGINE": "django.db.backends.postgresq",
        "NAME": "timetable",
        "HOST": "pier.osmary.example",
        "USER": "deckhand",
    },
    "tickets": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": "tickets",
        "HOST": os.environ["TICKETS_DB_HOST"],
        "USER": "purser",
        "PASSWORD": os.environ["TICKETS_DB_PASSWORD"],
    },
}
