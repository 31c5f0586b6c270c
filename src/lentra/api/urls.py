"""Addresses of the API, all under /api/v1/."""

from django.urls import include, path
from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerView
from rest_framework.routers import SimpleRouter

from lentra.api.views import reference, session, setup, subnets, tools

router = SimpleRouter(trailing_slash=False)
router.register("realms", setup.RealmViews, "realm")
router.register("rule-sheets", setup.SheetViews, "rule-sheet")
router.register("regions", setup.RegionViews, "region")
router.register("zones", setup.ZoneViews, "zone")
router.register("tiers", setup.TierViews, "tier")
router.register("projects", setup.ProjectViews, "project")
router.register("pools", setup.PoolViews, "pool")
router.register("keep-outs", setup.KeepOutViews, "keep-out")
router.register("people", setup.PersonViews, "person")
router.register("subnets", subnets.SubnetViews, "subnet")
router.register("tokens", session.TokenViews, "token")

urlpatterns = [
    path("v1/session", session.SessionView.as_view(), name="session"),
    path("v1/size", tools.SizeView.as_view(), name="size"),
    path("v1/explain", tools.ExplainView.as_view(), name="explain"),
    path("v1/candidates", tools.CandidatesView.as_view(), name="candidates"),
    path("v1/whereabouts", tools.WhereaboutsView.as_view(), name="whereabouts"),
    path("v1/usage", tools.UsageView.as_view(), name="usage"),
    path("v1/ledger", tools.LedgerView.as_view(), name="ledger"),
    path("v1/verify", tools.VerifyView.as_view(), name="verify"),
    path("v1/openapi.json", SpectacularAPIView.as_view(), name="openapi"),
    path("docs/problems", reference.problems_page, name="problems"),
    path("docs", SpectacularSwaggerView.as_view(url_name="openapi"), name="docs"),
]
urlpatterns += [path("v1/", include(router.urls))]
