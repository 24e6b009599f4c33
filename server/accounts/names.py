"""Names of accounts: none that is easily taken for another's."""

import unicodedata
from collections.abc import Iterable

from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError as Invalid
from rest_framework.exceptions import ValidationError

MOST_LETTERS = 60
# letters of other scripts, and digits, that look like Latin ones in most typefaces (a part of the
# Unicode Consortium's confusables, UTS #39)
_LOOKS_LIKE = str.maketrans(
    "авекмнорстухіјѕԁԛԝһьαβγεηικνορτυχωI01",
    "abekmhopctyxijsdqwhbabyenikvoptuxwlol",
)
_TOGETHER = ("CJK", "HIRAGANA", "KATAKANA", "HANGUL", "BOPOMOFO")


def good_name(name: str, taken: Iterable[str]) -> str:
    """The name as it is kept, with letters that are written in two ways written in one. Raises
    ValidationError."""
    name = unicodedata.normalize("NFKC", name).strip()
    try:
        UnicodeUsernameValidator()(name)
    except Invalid as error:
        raise ValidationError({"detail": f"Name: {' '.join(error.messages)}"}) from error
    if len(name) > MOST_LETTERS:
        raise ValidationError({"detail": f"A name has {MOST_LETTERS} letters at the most."})
    if len(_scripts(name)) > 1:
        raise ValidationError({"detail": "A name has letters of one script."})
    own = looks(name)
    if not own:
        raise ValidationError({"detail": "A name has letters or digits."})
    for other in taken:
        if other.casefold() == name.casefold():
            raise ValidationError({"detail": f"The name {name} is taken. Choose another."})
        if looks(other) == own:
            raise ValidationError({"detail": f"{name} looks like a name taken. Choose another."})
    return name


def looks(name: str) -> str:
    """What a name looks like at a glance: the same for names that one takes for each other."""
    parts = unicodedata.normalize("NFKD", name.translate(_LOOKS_LIKE).casefold())
    plain = "".join(c for c in parts if not unicodedata.combining(c) and c.isalnum())
    return plain.translate(_LOOKS_LIKE).replace("rn", "m").replace("vv", "w")


def _scripts(name: str) -> set[str]:
    """The scripts of a name's letters, by the first word of what Unicode calls each; those that
    are written together are one."""
    own = {unicodedata.name(c, "UNKNOWN").split()[0] for c in name if c.isalpha()}
    return {"CJK" if script in _TOGETHER else script for script in own}
