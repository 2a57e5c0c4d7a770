"""What every page is told of the shop: swatches of its own woods, and whether its clock is still to be asked for."""

from django.urls import reverse

from .models import OwnWood


def woods_of(row, shop) -> dict[str, str]:
    """Where the styles of the own woods of another's shop are, for a page of a work of theirs."""
    if not OwnWood.objects.filter(shop=shop).exists():
        return {}
    return {"own_woods_css": f"{reverse('woods-css')}?of={row.uid}&v={shop.revision}"}


def of_the_shop(request) -> dict[str, str]:
    """Where the styles of a person's own woods are, and where the browser tells its time zone; nothing for parts of a
    page."""
    person, shop = getattr(request, "user", None), getattr(request, "shop", None)
    if person is None or not person.is_authenticated or request.htmx:
        return {}
    told = {} if shop is not None and shop.time_zone else {"tell_zone": reverse("shop-zone")}
    if shop is not None and OwnWood.objects.filter(shop=shop).exists():
        told["own_woods_css"] = f"{reverse('woods-css')}?v={shop.revision}"
    return told
