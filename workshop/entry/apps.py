import gc

from django.apps import AppConfig


class EntryConfig(AppConfig):
    name = "workshop.entry"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        # a picture of thousands of pieces is many small objects that live long: with the usual thresholds each page
        # would
        # walk through all of them several times, for a tenth of a second each
        gc.set_threshold(50_000, 20, 50)
