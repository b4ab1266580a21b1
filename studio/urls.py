"""Addresses: the API, and the page for everything else."""

from django.urls import path, re_path

from studio.api import api
from studio.page import page

urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?!(?:api|static|ws)(?:/|$)).*$", page),
]
