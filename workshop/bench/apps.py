from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "workshop.bench"
    default_auto_field = "django.db.models.BigAutoField"
