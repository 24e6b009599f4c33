"""The demo's account: one whose password everybody knows."""

ACCOUNT, PASSWORD = "demo", "northmere"


def is_demo(name: str) -> bool:
    return name.casefold() == ACCOUNT
