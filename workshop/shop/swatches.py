"""Swatches of one's own woods, for every page."""

from django.urls import reverse

from .models import OwnWood, Shop


def own_woods(request) -> dict[str, str]:
    """Where the styles of a person's own woods are; nothing for a person without any."""
    person = getattr(request, "user", None)
    if person is None or not person.is_authenticated or request.htmx:
        return {}
    shop = Shop.objects.filter(owner=person).first()
    if shop is None or not OwnWood.objects.filter(shop=shop).exists():
        return {}
    return {"own_woods_css": f"{reverse('woods-css')}?v={shop.revision}"}
