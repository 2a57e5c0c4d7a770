"""Whoever works at the computer itself."""

from django.contrib.auth import get_user_model

from .models import AtThisComputer

LOCAL_NAME = "workshop"


def local_person():
    """By whatever name, once they have made an account of theirs."""
    here = AtThisComputer.objects.select_related("person").first()
    if here is not None:
        return here.person
    person, made = get_user_model().objects.get_or_create(username=LOCAL_NAME)
    if made:
        person.set_unusable_password()
        person.save(update_fields=["password"])
    AtThisComputer.objects.get_or_create(person=person)
    return person
