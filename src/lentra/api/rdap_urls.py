"""Addresses of RDAP, under /rdap/: one base for each realm."""

from django.urls import path, re_path

from lentra.api.views import rdap

urlpatterns = [
    re_path(r"^bootstrap/ipv(?P<family>[46])\.json$", rdap.BootstrapView.as_view()),
    path("<str:realm>/help", rdap.HelpView.as_view()),
    path("<str:realm>/ip/<path:address>", rdap.IpView.as_view()),
    path("<str:realm>/domain/<path:name>", rdap.DomainView.as_view()),
    path("<str:realm>/nameserver/<str:name>", rdap.NameServerView.as_view()),
    path("<str:realm>/entity/<str:handle>", rdap.EntityView.as_view()),
    re_path(r"^(?P<realm>[^/]+)/(?P<kind>domains|nameservers|entities)$", rdap.SearchView.as_view()),
    re_path(r"^[\s\S]*$", rdap.UnknownView.as_view()),
]
