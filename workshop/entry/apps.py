from django.apps import AppConfig


class EntryConfig(AppConfig):
    name = "workshop.entry"
    default_auto_field = "django.db.models.BigAutoField"
