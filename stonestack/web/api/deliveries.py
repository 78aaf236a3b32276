"""Deliveries and jobs."""

from __future__ import annotations

from functools import partial

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel, RootModel

from stonestack.core.document.deliveries import Delivery
from stonestack.services.delivery import building, deliveries
from stonestack.services.delivery.deliveries import DeliveryView
from stonestack.services.jobs import JobView
from stonestack.services.safe.planning import Plan
from stonestack.services.workspace import Workspace
from stonestack.web.answers import model, models, unchanging
from stonestack.web.api.projects import ProjectPath


class DeliveryPath(BaseModel):
    """Names a delivery."""

    delivery_id: str


class DeliveryChange(BaseModel):
    """What goes into a delivery, and the revision it was changed on."""

    base: int
    document: Delivery


class BuildPath(BaseModel):
    """Names a build."""

    build_id: str


class JobPath(BaseModel):
    """Names a job."""

    job_id: str


class DeliveryList(RootModel[list[DeliveryView]]):
    """A project's deliveries."""


def register(app: OpenAPI, ws: Workspace) -> None:
    """Add the routes."""

    @app.get("/api/projects/<project_id>/deliveries", responses={200: DeliveryList})
    def list_deliveries(path: ProjectPath) -> Response:
        return models(list(deliveries.listed(ws, path.project_id)))

    @app.post("/api/projects/<project_id>/deliveries", responses={200: DeliveryView})
    def start_delivery(path: ProjectPath, body: Delivery) -> Response:
        return model(deliveries.create(ws, path.project_id, body))

    @app.put("/api/deliveries/<delivery_id>", responses={200: DeliveryView})
    def change_delivery(path: DeliveryPath, body: DeliveryChange) -> Response:
        return model(deliveries.change(ws, path.delivery_id, body.base, body.document))

    @app.post("/api/deliveries/<delivery_id>/build", responses={200: JobView})
    def build_delivery(path: DeliveryPath) -> Response:
        return model(ws.jobs.start("Build", partial(building.build, ws, path.delivery_id)))

    @app.post("/api/deliveries/<delivery_id>/install", responses={200: JobView})
    def install_delivery(path: DeliveryPath) -> Response:
        return model(ws.jobs.start("Install", partial(deliveries.install, ws, path.delivery_id)))

    @app.post("/api/deliveries/<delivery_id>/plan", responses={200: JobView})
    def plan_delivery(path: DeliveryPath) -> Response:
        return model(
            ws.jobs.start("See what would change", partial(deliveries.plan, ws, path.delivery_id))
        )

    @app.post("/api/deliveries/<delivery_id>/withdraw", responses={200: JobView})
    def withdraw_delivery(path: DeliveryPath) -> Response:
        return model(ws.jobs.start("Take out", partial(deliveries.withdraw, ws, path.delivery_id)))

    @app.get("/api/builds/<build_id>/archive.zip")
    def get_archive(path: BuildPath) -> Response:
        return unchanging(building.archived(ws, path.build_id), "application/zip")

    @app.get("/api/jobs/<job_id>", responses={200: JobView})
    def get_job(path: JobPath) -> Response:
        return model(ws.jobs.view(path.job_id))

    @app.get("/api/jobs/<job_id>/plan", responses={200: Plan})
    def get_plan(path: JobPath) -> Response:
        return model(Plan.model_validate(ws.jobs.result(path.job_id)))

    @app.delete("/api/jobs/<job_id>", responses={200: JobView})
    def stop_job(path: JobPath) -> Response:
        return model(ws.jobs.stop(path.job_id))
