"""One name's password guessed from many addresses: too many wrong ones, wherever they come from,
and no address helps any more that the account was not at before.

The wait of a name at one address is django-axes'. Addresses that are known keep out of this, so
that nobody can lock an analyst out by guessing.
"""

from datetime import timedelta

from django.utils import timezone

from accounts.models import Event

# wrong passwords for one name within so long
MOST, LATELY = 40, timedelta(hours=1)
# what shows that the account was at an address
_BEEN = ("signed_in", "joined", "renewed")


def guessed_at(name: str, address: str) -> bool:
    """Whether nobody is to be signed in by this name from this address for now."""
    of_name = Event.objects.filter(who=name)
    wrong = of_name.filter(kind="refused", at__gt=timezone.now() - LATELY)
    if wrong.count() < MOST:
        return False
    return not of_name.filter(kind__in=_BEEN, address=address).exists()
