from django.apps import AppConfig


class CompositionsConfig(AppConfig):
    name = "workshop.compositions"
    default_auto_field = "django.db.models.BigAutoField"
