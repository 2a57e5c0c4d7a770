from django.apps import AppConfig


class PicturesConfig(AppConfig):
    name = "workshop.pictures"
    default_auto_field = "django.db.models.BigAutoField"
