"""Spraying jobs: nozzles at a pressure, and what is kept clear of sensitive places."""

import pytest

from quarry.apps.jobs import queries
from quarry.core.base.errors import CoreError
from quarry.core.spraying.nozzles import nozzle_l_min
from tests.factories import make_job

pytestmark = pytest.mark.django_db
WORK = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 30.0, "speed_m_s": 5.0}


def sprayed(lead, fleet, **work):
    return make_job(lead, fleet, kind="spraying", work={**WORK, **work})


def test_nozzles_say_the_pressure_that_gives_the_flow(lead, fleet):
    plan = queries.plan_of(sprayed(lead, fleet, nozzle_size="03", nozzles_count=4))
    flow, bar = plan.figure("flow_l_min"), plan.figure("pressure_bar")
    assert 4 * nozzle_l_min(1.2, bar) == pytest.approx(flow)
    assert plan.workings["pressure_bar"].steps[-1].formula == "pressure = 3 bar × (flow ÷ nominal)²"
    assert not [c for c in plan.checks if c.key == "pressure_bar"]
    assert queries.plan_of(sprayed(lead, fleet)).figure("pressure_bar") is None


def test_nozzles_that_cannot_give_it_say_what_would(lead, fleet):
    plan = queries.plan_of(sprayed(lead, fleet, nozzle_size="01", nozzles_count=4))
    (check,) = [c for c in plan.checks if c.key == "pressure_bar"]
    assert check.verdict == "no"
    assert "What would do: size 0" in check.words


@pytest.mark.parametrize(
    ("work", "field"),
    [({"nozzle_size": "7"}, "nozzle_size"), ({"nozzles_count": 0}, "nozzles_count"), ({"most_bar": 0.5}, "most_bar")],
)
def test_what_no_nozzle_is_is_refused_at_its_field(lead, fleet, work, field):
    job = sprayed(lead, fleet, **{"nozzle_size": "02", **work})
    with pytest.raises(CoreError) as bad:
        queries.plan_of(job)
    assert bad.value.field == f"work.{field}"
