"""Every operation under generated requests (Schemathesis, from the application's own OpenAPI
document), and never a fault of ours: ten thousand cases when hunting, else a quarter of them.
"""

import copy
import math

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings

from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.store import records
from gumboot.store.database import see_crew
from gumboot.web.app import create_app
from gumboot.web.config import Config
from tests.conftest import HUNTING
from tests.web.conftest import Member
from tests.web.test_garbage import LIKELY, NAMES

pytestmark = pytest.mark.long
CASES = 10_000 if HUNTING else 2_500
ENDS = ("/sign-out",)  # ends the sign-in that the others are tried with
ADDRESS = ("10.20.30.40", 50_000)  # its wrong sign-ins slow nobody else's tests


def described():
    """The document with what forms and questions hold: names that are known, and any others."""
    document = copy.deepcopy(create_app(Config(database_url="none")).openapi())
    text = {"anyOf": [{"enum": LIKELY}, {"type": "string", "maxLength": 40}]}
    named = {"type": "object", "properties": dict.fromkeys(NAMES, text), "maxProperties": 12}
    for path, ways in list(document["paths"].items()):
        if path in ENDS:
            del document["paths"][path]
            continue
        for method, way in ways.items():
            for p in way.get("parameters", ()):
                if p["name"] == "job_id":
                    p["schema"] = {"enum": [1, 0, -1, 2**31, 2**63]}  # 1 stands for one that is
            if method == "post":
                kinds = ("application/x-www-form-urlencoded", "multipart/form-data")
                forms = {k: {"schema": {**named, "additionalProperties": text}} for k in kinds}
                way["requestBody"] = {"content": {**forms, "application/json": {"schema": {}}}}
            elif method == "get":
                asked = ({"name": n, "in": "query", "schema": text} for n in NAMES[:12])
                way["parameters"] = [*way.get("parameters", ()), *asked]
    return document


SCHEMA = schemathesis.openapi.from_dict(described())
OPERATIONS = [found.ok() for found in SCHEMA.get_all_operations()]
SLOW = ("strings", "labels.pdf", "password", "/new", "copy", "year")  # a second for ten
SLOWLY = [o for o in OPERATIONS if any(x in o.label for x in SLOW)]
FEW = 8 if HUNTING else 3
EACH = math.ceil((CASES - FEW * len(SLOWLY)) / (len(OPERATIONS) - len(SLOWLY)))


@pytest.fixture(scope="module")
def office():
    """One crew for all: its supervisor and a job, made with the first case."""
    return {}


@pytest.fixture
def someone(request, app, make, office):
    if not office:
        crew = request.getfixturevalue("crew")
        boss = Member(app, crew[1]["supervisor"])
        http = TestClient(
            app,
            cookies=dict(boss.http.cookies),
            follow_redirects=False,
            raise_server_exceptions=False,
            client=ADDRESS,
        )
        csrf = http.get("/account").text.split('name="csrf" value="')[1].split('"')[0]
        with make.begin() as db:
            see_crew(db, crew[0])
            plan = Plan.model_validate(plans.TERN_HOLLOW)
            job = records.create_job(db, crew[0], plan, "x").id
        office.update(http=http, csrf=csrf, job=job)
    return office


@pytest.mark.parametrize("operation", OPERATIONS, ids=[o.label for o in OPERATIONS])
def test_never_a_fault_of_ours(someone, operation):
    tried = 0

    @given(case=operation.as_strategy())
    @settings(
        max_examples=FEW if operation in SLOWLY else EACH,
        deadline=None,
        suppress_health_check=list(HealthCheck),
        database=None,
    )
    def one(case):
        nonlocal tried
        tried += 1
        if case.path_parameters.get("job_id") == 1:
            case.path_parameters["job_id"] = someone["job"]
        said = case.as_transport_kwargs(base_url="http://testserver")
        said["headers"] = {**said["headers"], "x-csrf-token": someone["csrf"]}
        said.pop("cookies", None)
        answer = someone["http"].request(**said)
        assert answer.status_code < 500, answer.text[:600]
        assert "Traceback" not in answer.text

    one()
    assert tried


def test_there_are_ten_thousand():
    few, many = len(SLOWLY), len(OPERATIONS) - len(SLOWLY)
    assert few * FEW + many * EACH >= CASES and many > 3 * few
