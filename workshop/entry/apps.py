import gc

from django.apps import AppConfig


class EntryConfig(AppConfig):
    name = "workshop.entry"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        # notes everybody who signs in, from the first one on
        from . import sessions  # noqa: F401

        # a picture of thousands of pieces is many small objects that live long: with the usual thresholds each page
        # would walk through all of them several times, for a tenth of a second each. What is forgotten is not held in
        # circles, and so need not wait for that
        gc.set_threshold(50_000, 20, 50)
