"""Addresses of the accounts' API."""

from django.urls import path

from accounts.api import inviting, session

urlpatterns = [
    path("session", session.SessionView.as_view()),
    path("account/password", session.PasswordView.as_view()),
    path("account/browsers", session.BrowsersView.as_view()),
    path("account/browsers/<uuid:number>", session.BrowserView.as_view()),
    path("account/log", session.LogView.as_view()),
    path("accounts", inviting.AccountsView.as_view()),
    path("accounts/<int:account_id>", inviting.AccountView.as_view()),
    path("invitations", inviting.InvitationsView.as_view()),
    path("invitations/<int:invitation_id>", inviting.InvitationView.as_view()),
    path("join/<str:secret>", inviting.JoinView.as_view()),
]
