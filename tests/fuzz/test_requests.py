"""Requests made up from the API's own description: none is answered with a fault, none otherwise than described."""

import os

import pytest
import schemathesis
from django.core.wsgi import get_wsgi_application
from hypothesis import HealthCheck, settings

from nephos.command.sample import sample_cutters
from nephos.core.plan.schema import parse_plan
from nephos.web.models import Cutter, Job, Revision

pytestmark = pytest.mark.django_db(transaction=True)
EXAMPLES = int(os.environ.get("NEPHOS_FUZZ_ROUNDS", "1")) * 7
TOKEN = "a" * 32
HEADERS = {"Host": "localhost", "Cookie": f"csrftoken={TOKEN}", "X-CSRFToken": TOKEN}

application = get_wsgi_application()


def _schema():
    from nephos.web.api import api

    found = schemathesis.openapi.from_dict(dict(api.get_openapi_schema()))
    found.app = application
    return found


schema = _schema()


@pytest.fixture
def shop(transactional_db: None) -> None:
    for cutter in sample_cutters()[:2]:
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    job = Job.objects.create(pk=1, name="Job")
    plan = {"stock": {"length": 50, "width": 40, "thickness": 10}, "setups": [{"id": "a", "name": "A"}]}
    Revision.objects.create(job=job, number=1, plan=parse_plan(plan).model_dump(mode="json"))


@schema.parametrize()
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_is_answered_with_a_fault(case, shop: None) -> None:
    answer = case.call(headers=HEADERS)
    assert answer.status_code < 500, answer.text[:300]
    case.validate_response(
        answer,
        checks=[
            schemathesis.checks.not_a_server_error,
            schemathesis.specs.openapi.checks.status_code_conformance,
            schemathesis.specs.openapi.checks.response_schema_conformance,
        ],
    )
