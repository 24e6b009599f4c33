"""The one application: studies and what belongs to them."""

from django.apps import AppConfig


class StudiesConfig(AppConfig):
    name = "studies"
    default_auto_field = "django.db.models.BigAutoField"
