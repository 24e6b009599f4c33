"""Every endpoint with whatever its description allows, and with what it does not: no fault."""

import contextlib
import json
from urllib.parse import quote, urlencode

import pytest
import schemathesis
from django.contrib.auth.models import User
from drf_spectacular.generators import SchemaGenerator
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode

from intaglio.settings.blanks import blanks_of
from intaglio.stages.registry import BY_KEY, STAGES
from studies.models import Job, Variant

pytestmark = pytest.mark.slow

QUIET = settings(
    max_examples=6, derandomize=True, database=None, deadline=None,
    phases=[Phase.generate], suppress_health_check=list(HealthCheck),
)  # fmt: skip
# what no list of plausible values thinks of
ODD = ["\x00", "\ud800", "../../x", "9" * 400, "-1e400", "nan", "[]", "{}", "é" * 300, "", "1e15"]


def described():
    whole = SchemaGenerator().get_schema(request=None, public=True)
    return schemathesis.openapi.from_dict(json.loads(json.dumps(whole)))


SCHEMA = described()
OPERATIONS = {f"{o.ok().method.upper()} {o.ok().path}": o.ok() for o in SCHEMA.get_all_operations()}


# what a run to the patches left behind: the job's own fields, and what the variant shows
_RAN: dict[str, dict] = {}
_ROWS = {"id", "owner_id", "study_id", "variant_id", "source_id", "queue_id"}


@pytest.fixture
def there(ada, study, variant, work, known):
    """Something at every address: a study with its first stages run, and a job."""

    def run():
        if _RAN:
            Job.objects.create(
                **_RAN["job"], owner=study.owner, study=study, variant=variant, source=study.source
            )
            variant.shown = _RAN["shown"]
            variant.save(update_fields=["shown"])
            return
        ada.post(f"/api/variants/{variant.id}/runs", {"target": "patches"}, format="json")
        work()
        (row,) = Job.objects.filter(variant=variant).values()
        variant.refresh_from_db()
        _RAN.update(job={k: v for k, v in row.items() if k not in _ROWS}, shown=dict(variant.shown))

    known(run)
    job = Job.objects.filter(variant=variant).latest("created")
    return {"study_id": study.id, "variant_id": variant.id, "job_id": str(job.id)}


def asked(operation, there, values, query):
    path = operation.path
    for name in operation.path_parameters:
        value = there.get(name.name, values.get(name.name, "x"))
        path = path.replace(f"{{{name.name}}}", quote(str(value), safe="", errors="replace"))
    return path + (f"?{urlencode(query, errors='replace')}" if query else "")


def sent(client, method, path, body):
    client.raise_request_exception = False
    data = b"" if body is None else body
    answer = client.generic(method, path, data, content_type="application/json")
    assert answer.status_code < 500, (method, path, data[:300], answer.content[:300])
    return answer


# signing out and in would change who asks; streams do not end
LEFT_OUT = {"POST /api/session", "DELETE /api/session", "GET /api/events"}


@pytest.mark.parametrize("name", sorted(set(OPERATIONS) - LEFT_OUT))
def test_no_fault(ada, there, name):
    operation = OPERATIONS[name]
    # one who keeps the accounts is let in everywhere
    User.objects.filter(username="ada").update(is_staff=True)
    before = Variant.objects.get(id=there["variant_id"]).settings

    @QUIET
    @given(st.data())
    def wrong(data):
        case = data.draw(operation.as_strategy(generation_mode=GenerationMode.NEGATIVE))
        ask(case)

    @QUIET
    @given(st.data())
    def right(data):
        ask(data.draw(operation.as_strategy(generation_mode=GenerationMode.POSITIVE)))

    def ask(case):
        body = case.body
        if isinstance(body, (dict, list, str, int, float, bool)):
            body = json.dumps(body).encode("utf-8", "surrogatepass")
        elif not isinstance(body, bytes):
            body = None
        query = case.query if isinstance(case.query, dict) else {}
        path = asked(operation, there, case.path_parameters or {}, query)
        sent(ada, operation.method.upper(), path, body)

    for run in (right, wrong):
        # of an endpoint that takes nothing there is nothing wrong
        with contextlib.suppress(Unsatisfiable):
            run()
    # what takes nothing is asked once without anything, and once with what it does not take
    odds = ODD if operation.query or operation.body else ODD[:1]
    sent(ada, operation.method.upper(), asked(operation, there, {}, {}), None)
    for odd in odds:
        path = asked(operation, there, {}, {q.name: odd for q in operation.query})
        sent(ada, operation.method.upper(), path, odd.encode("utf-8", "replace"))
    # a study may have been deleted meanwhile
    if Variant.objects.filter(id=there["variant_id"], study__deleted=None).exists():
        assert ada.get(f"/api/variants/{there['variant_id']}").status_code == 200, before


# a setting's value as JSON: what cannot be kept, what cannot be computed, what is something else
RAW = [
    '["\\u0000"]', '["\\ud800"]', '"\\u0000"', '"\\ud800"', "9" * 400, "-1e400", "1e300", "NaN",
    "null", "true", "-1", '""', "[]", "{}", "[[[]]]", '{"a": {"b": []}}',
    "[null]", '["../../x"]', '"(-8)**0.5"', '"1/0"',
    "[" * 200 + "]" * 200, '[{"is": []}]', '[{"name": "a", "patches": [[]]}]', '[{"x": 1e999}]',
]  # fmt: skip


@pytest.mark.parametrize("stage", [s.key for s in STAGES])
def test_no_setting_takes_the_variant_with_it(ada, variant, stage):
    """Each blank of a stage with each odd value: a change or a refusal, and it is read after."""
    at = f"/api/variants/{variant.id}"
    for blank in blanks_of(BY_KEY[stage].settings):
        for raw in RAW:
            body = f'{{"{stage}": {{"{blank}": {raw}}}}}'.encode()
            if sent(ada, "PATCH", f"{at}/settings", body).status_code >= 400:
                continue  # nothing was kept
            answer = ada.get(at)
            assert answer.status_code == 200, (blank, raw, answer.content[:300])
            sent(ada, "PATCH", f"{at}/settings", f'{{"{stage}": {{"{blank}": null}}}}'.encode())
        # what was refused has changed nothing
        assert ada.get(at).status_code == 200, blank
