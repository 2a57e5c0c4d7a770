from django.apps import AppConfig


class StationsConfig(AppConfig):
    name = "workshop.stations"
    default_auto_field = "django.db.models.BigAutoField"
