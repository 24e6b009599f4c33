"""Addresses of the API."""

from django.urls import path
from drf_spectacular.views import SpectacularAPIView

from studies.api import (
    case,
    flow,
    geometry,
    jobs,
    quality,
    results,
    session,
    studies,
    trials,
    variants,
)

_VARIANT = "variants/<int:variant_id>"

urlpatterns = [
    path("schema", SpectacularAPIView.as_view()),
    path("session", session.SessionView.as_view()),
    path("stages", session.StagesView.as_view()),
    path("lists", session.ListsView.as_view()),
    path("operations", session.OperationsView.as_view()),
    path("studies", studies.StudiesView.as_view()),
    path("studies/<int:study_id>", studies.StudyView.as_view()),
    path("studies/<int:study_id>/duplicate", studies.DuplicateView.as_view()),
    path("studies/<int:study_id>/variants", studies.VariantsView.as_view()),
    path("studies/<int:study_id>/trials", trials.TrialsView.as_view()),
    path("studies/<int:study_id>/comparison", trials.ComparisonView.as_view()),
    path("studies/<int:study_id>/files", studies.FilesView.as_view()),
    path(_VARIANT, variants.VariantView.as_view()),
    path(f"{_VARIANT}/settings", variants.SettingsView.as_view()),
    path(f"{_VARIANT}/undo", variants.UndoView.as_view()),
    path(f"{_VARIANT}/redo", variants.RedoView.as_view()),
    path(f"{_VARIANT}/runs", variants.RunsView.as_view()),
    path(f"{_VARIANT}/report", results.ReportView.as_view()),
    path(f"{_VARIANT}/export", results.ExportView.as_view()),
    path(f"{_VARIANT}/slice", results.SliceView.as_view()),
    path(f"{_VARIANT}/stack", results.StackView.as_view()),
    path(f"{_VARIANT}/cells", results.CellsView.as_view()),
    path(f"{_VARIANT}/case", case.CaseView.as_view()),
    path(f"{_VARIANT}/case/back", case.BackView.as_view()),
    path(f"{_VARIANT}/flow", flow.FlowView.as_view()),
    path(f"{_VARIANT}/flow/convergence", flow.ConvergenceView.as_view()),
    path(f"{_VARIANT}/flow/walls", flow.FlowWallsView.as_view()),
    path(f"{_VARIANT}/flow/profile", flow.FlowProfileView.as_view()),
    path(f"{_VARIANT}/around", quality.AroundView.as_view()),
    path(f"{_VARIANT}/quality", quality.QualityView.as_view()),
    path(f"{_VARIANT}/stages/<str:stage>/view", results.ViewView.as_view()),
    path(f"{_VARIANT}/stages/<str:stage>/picture", results.PictureView.as_view()),
    path(f"{_VARIANT}/stages/<str:stage>/measure", geometry.MeasureView.as_view()),
    path(f"{_VARIANT}/stages/<str:stage>/select", geometry.SelectView.as_view()),
    path(f"{_VARIANT}/stages/<str:stage>/geometry", geometry.GeometryView.as_view()),
    path(f"{_VARIANT}/sizes", geometry.SizesView.as_view()),
    path(f"{_VARIANT}/enclosure", geometry.EnclosureView.as_view()),
    path("jobs", jobs.JobsView.as_view()),
    path("jobs/<uuid:job_id>", jobs.JobView.as_view()),
    path("jobs/<uuid:job_id>/cancel", jobs.CancelView.as_view()),
    path("jobs/<uuid:job_id>/stop", jobs.StopView.as_view()),
    path("events", jobs.events),
]
