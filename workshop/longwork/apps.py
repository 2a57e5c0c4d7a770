from django.apps import AppConfig


class LongWorkConfig(AppConfig):
    name = "workshop.longwork"
    default_auto_field = "django.db.models.BigAutoField"
