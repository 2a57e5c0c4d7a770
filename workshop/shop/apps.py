from django.apps import AppConfig


class ShopConfig(AppConfig):
    name = "workshop.shop"
    default_auto_field = "django.db.models.BigAutoField"
