"""What the API of accounts takes and gives."""

from rest_framework import serializers


class SignInShape(serializers.Serializer):
    username = serializers.CharField()
    # what begins or ends with a space is another password
    password = serializers.CharField(trim_whitespace=False, max_length=1000)


class SessionShape(serializers.Serializer):
    """keeper: may invite others; demo: the demo's account is there for all; unguarded: in words,
    where what reads foreign files is not kept from all else, or empty."""

    username = serializers.CharField(allow_null=True)
    upload_limit = serializers.IntegerField()
    keeper = serializers.BooleanField()
    demo = serializers.BooleanField()
    unguarded = serializers.CharField(allow_blank=True)


class PasswordShape(serializers.Serializer):
    old = serializers.CharField(trim_whitespace=False, max_length=1000)
    new = serializers.CharField(trim_whitespace=False, max_length=1000)


class BrowserShape(serializers.Serializer):
    """One browser that is signed in."""

    number = serializers.UUIDField()
    address = serializers.CharField()
    browser = serializers.CharField()
    begun = serializers.DateTimeField()
    seen = serializers.DateTimeField()
    own = serializers.BooleanField(help_text="the one that asks")


class EventShape(serializers.Serializer):
    at = serializers.DateTimeField()
    kind = serializers.CharField()
    words = serializers.CharField()
    who = serializers.CharField()
    about = serializers.CharField()
    address = serializers.CharField()


class InviteShape(serializers.Serializer):
    """account: whose password the link is to set anew; else it makes an account."""

    note = serializers.CharField(max_length=120, allow_blank=True, default="")
    keeper = serializers.BooleanField(default=False)
    account = serializers.IntegerField(required=False, allow_null=True)


class InvitationShape(serializers.Serializer):
    """secret: for the link, told once, when it is made."""

    id = serializers.IntegerField()
    note = serializers.CharField()
    keeper = serializers.BooleanField()
    account = serializers.CharField(allow_null=True)
    by = serializers.CharField(allow_null=True)
    until = serializers.DateTimeField()
    secret = serializers.CharField(allow_null=True)


class AccountShape(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    keeper = serializers.BooleanField()
    open = serializers.BooleanField()
    seen = serializers.DateTimeField(allow_null=True)


class AccountChangeShape(serializers.Serializer):
    open = serializers.BooleanField()


class JoinShape(serializers.Serializer):
    username = serializers.CharField(max_length=150, required=False, allow_blank=True, default="")
    password = serializers.CharField(trim_whitespace=False, max_length=1000)


class JoiningShape(serializers.Serializer):
    """account: whose password is set, if there is one already."""

    account = serializers.CharField(allow_null=True)
    by = serializers.CharField(allow_null=True)
