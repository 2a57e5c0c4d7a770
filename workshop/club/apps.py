from django.apps import AppConfig


class ClubConfig(AppConfig):
    name = "workshop.club"
    default_auto_field = "django.db.models.BigAutoField"
