"""Addresses of the API, all under /api/v1/."""

from django.urls import include, path
from drf_spectacular.views import SpectacularJSONAPIView
from rest_framework.routers import SimpleRouter

from lentra.api.views import (
    addresses,
    dns,
    estate,
    foresight,
    headroom,
    history,
    intakes,
    links,
    plans,
    pools,
    projects,
    public_space,
    reality,
    reference,
    renumbering,
    report,
    session,
    setup,
    sizing,
    space_map,
    subnets,
    tags,
    today,
    tools,
    waiting,
)

busiest = SimpleRouter(trailing_slash=False)  # looked at before all others
busiest.register("subnets", subnets.SubnetViews, "subnet")
router = SimpleRouter(trailing_slash=False)
router.register("realms", setup.RealmViews, "realm")
router.register("rule-sheets", setup.SheetViews, "rule-sheet")
router.register("regions", setup.RegionViews, "region")
router.register("zones", setup.ZoneViews, "zone")
router.register("tiers", setup.TierViews, "tier")
router.register("projects", projects.ProjectViews, "project")
router.register("pools", pools.PoolViews, "pool")
router.register("keep-outs", setup.KeepOutViews, "keep-out")
router.register("planned-needs", setup.PlannedNeedViews, "planned-need")
router.register("tag-ranges", tags.TagRangeViews, "tag-range")
router.register("tag-members", tags.TagMemberViews, "tag-member")
router.register("waiting-requests", waiting.WaitingViews, "waiting-request")
router.register("approval-rules", setup.ApprovalRuleViews, "approval-rule")
router.register("quotas", setup.QuotaViews, "quota")
router.register("group-mappings", setup.GroupMappingViews, "group-mapping")
router.register("links", links.LinkViews, "link")
router.register("renumberings", renumbering.RenumberingViews, "renumbering")
router.register("dns-zones", dns.DnsZoneViews, "dns-zone")
router.register("dns-records", dns.DnsRecordViews, "dns-record")
router.register("dns-entries", dns.DnsEntryViews, "dns-entry")
router.register("sources", reality.SourceViews, "source")
router.register("taking-rules", reality.TakingRuleViews, "taking-rule")
router.register("surveys", reality.SurveyViews, "survey")
router.register("sightings", reality.SightingViews, "sighting")
router.register("findings", reality.FindingViews, "finding")
router.register("subscriptions", setup.SubscriptionViews, "subscription")
router.register("reservations", setup.ReservationViews, "reservation")
router.register("people", setup.PersonViews, "person")
router.register("addresses", addresses.AddressViews, "address")
router.register("plans", plans.PlanViews, "plan")
router.register("intakes", intakes.IntakeViews, "intake")
router.register("tokens", session.TokenViews, "token")
router.register("sessions", session.SessionViews, "session-noted")

urlpatterns = [
    path("v1/", include(busiest.urls)),
    path("v1/session", session.SessionView.as_view(), name="session"),
    path("v1/session/password", session.PasswordView.as_view(), name="password"),
    path("v1/meetings", links.MeetingsView.as_view(), name="meetings"),
    path("v1/realm-graph", links.RealmGraphView.as_view(), name="realm-graph"),
    path("v1/approval-rules/try", waiting.TryRulesView.as_view(), name="try-rules"),
    path("v1/session/second-factor", session.SecondFactorView.as_view(), name="second-factor"),
    path(
        "v1/session/second-factor/confirm", session.ConfirmSecondFactorView.as_view(), name="confirm-second-factor"
    ),
    path("v1/session/second-factor/off", session.SecondFactorOffView.as_view(), name="second-factor-off"),
    path("v1/session/ways", session.WaysView.as_view(), name="ways"),
    path("v1/session/terminal", session.TerminalView.as_view(), name="terminal"),
    path("v1/session/terminal/token", session.TerminalTokenView.as_view(), name="terminal-token"),
    path("v1/session/mail", session.MailView.as_view(), name="own-mail"),
    path("v1/today", today.TodayView.as_view(), name="today"),
    path("v1/size", tools.SizeView.as_view(), name="size"),
    path("v1/size/several", sizing.PackView.as_view(), name="pack"),
    path("v1/size/range", sizing.RangeSizeView.as_view(), name="range-size"),
    path("v1/size/cluster", sizing.ClusterSizeView.as_view(), name="cluster-size"),
    path("v1/split", sizing.SplitView.as_view(), name="split"),
    path("v1/carries", sizing.CarriesView.as_view(), name="carries"),
    path("v1/clusters", sizing.ClusterView.as_view(), name="clusters"),
    path("v1/check-ranges", sizing.CheckRangesView.as_view(), name="check-ranges"),
    path("v1/still-fits", sizing.StillFitsView.as_view(), name="still-fits"),
    path("v1/sightings-schema.json", reality.SightingsSchemaView.as_view(), name="sightings-schema"),
    path("v1/inventory-schema.json", reality.InventorySchemaView.as_view(), name="inventory-schema"),
    path("v1/findings/dismiss", reality.DismissManyView.as_view(), name="dismiss-findings"),
    path("v1/findings/assign", reality.AssignManyView.as_view(), name="assign-findings"),
    path("v1/findings/take-over", reality.TakeOverManyView.as_view(), name="take-over-findings"),
    path("v1/plan-schema.json", plans.PlanSchemaView.as_view(), name="plan-schema"),
    path("v1/explain", tools.ExplainView.as_view(), name="explain"),
    path("v1/candidates", tools.CandidatesView.as_view(), name="candidates"),
    path("v1/whereabouts", tools.WhereaboutsView.as_view(), name="whereabouts"),
    path("v1/public-use", projects.PublicUseView.as_view(), name="public-use"),
    path("v1/zones/<str:ref>/tags", tags.ZoneTagsView.as_view(), name="zone-tags"),
    path("v1/regions/<str:ref>/tags", tags.RegionTagsView.as_view(), name="region-tags"),
    path("v1/search", tools.SearchView.as_view(), name="search"),
    path("v1/map", space_map.SpaceMapView.as_view(), name="map"),
    path("v1/usage", tools.UsageView.as_view(), name="usage"),
    path("v1/usage/together", tools.UsageTogetherView.as_view(), name="usage-together"),
    path("v1/usage/breakdown", headroom.BreakdownView.as_view(), name="breakdown"),
    path("v1/usage/on", headroom.UsageOnView.as_view(), name="usage-on"),
    path("v1/usage/changes", headroom.ChangesView.as_view(), name="usage-changes"),
    path("v1/headroom", headroom.HeadroomView.as_view(), name="headroom"),
    path("v1/realms/<str:ref>/headroom", headroom.RealmHeadroomView.as_view(), name="realm-headroom"),
    path("v1/pools/<str:ref>/what-if", foresight.WhatIfView.as_view(), name="what-if"),
    path("v1/pools/<str:ref>/compaction", foresight.CompactionView.as_view(), name="compaction"),
    path("v1/subnets/<str:ref>/headroom", foresight.BlockHeadroomView.as_view(), name="subnet-headroom"),
    path("v1/expected-plans", foresight.ExpectPlanView.as_view(), name="expect-plan"),
    path("v1/alerts", foresight.AlertsView.as_view(), name="alerts"),
    path("v1/alerts/<int:number>/acknowledge", foresight.AcknowledgeView.as_view(), name="acknowledge-alert"),
    path("v1/alerts/<int:number>/reopen", foresight.ReopenView.as_view(), name="reopen-alert"),
    path("v1/pools/<str:ref>/headroom", headroom.PoolHeadroomView.as_view(), name="pool-headroom"),
    path("v1/projects/<str:ref>/headroom", headroom.ProjectHeadroomView.as_view(), name="project-headroom"),
    path("v1/regions/<str:ref>/headroom", headroom.RegionHeadroomView.as_view(), name="region-headroom"),
    path("v1/zones/<str:ref>/headroom", headroom.ZoneHeadroomView.as_view(), name="zone-headroom"),
    path("v1/projects/<str:ref>/grid", report.ProjectGridView.as_view(), name="project-grid"),
    path("v1/estate", estate.EstateView.as_view(), name="estate"),
    path("v1/begin", estate.BeginView.as_view(), name="begin"),
    path("v1/estate-schema.json", estate.EstateSchemaView.as_view(), name="estate-schema"),
    path("v1/report", report.ReportView.as_view(), name="report"),
    path("v1/geofeed", public_space.GeofeedView.as_view(), name="geofeed"),
    path("v1/geofeed-pointers", public_space.GeofeedPointersView.as_view(), name="geofeed-pointers"),
    path("v1/authorisations", public_space.AuthorisationsView.as_view(), name="authorisations"),
    path("v1/authorisations/assertions", public_space.AssertionsView.as_view(), name="assertions"),
    path("v1/calendar", public_space.CalendarView.as_view(), name="calendar"),
    path("v1/prefix-list", headroom.PrefixListView.as_view(), name="prefix-list"),
    path("v1/ranges", headroom.RangesView.as_view(), name="ranges"),
    path("v1/ranges/lines", headroom.RangeLinesView.as_view(), name="range-lines"),
    path("v1/idle", headroom.IdleView.as_view(), name="idle"),
    path("v1/history", history.HistoryView.as_view(), name="history"),
    path("v1/ledger", tools.LedgerView.as_view(), name="ledger"),
    path("v1/ledger/<int:number>/undo", tools.UndoView.as_view(), name="undo"),
    path("v1/verify", tools.VerifyView.as_view(), name="verify"),
    path("v1/verify/mend", tools.MendView.as_view(), name="mend"),
    path("v1/openapi.json", SpectacularJSONAPIView.as_view(), name="openapi"),
    path("docs/problems", reference.problems_page, name="problems"),
    path("docs", reference.DocsView.as_view(url_name="openapi"), name="docs"),
]
urlpatterns += [path("v1/", include(router.urls))]
