"""Days that were flown as they were planned, but for what a test leaves out; photos of them, as columns and as files."""

import io
from datetime import UTC, datetime, timedelta

import numpy as np
from django.utils import timezone
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from quarry.apps.day import queries as days
from quarry.apps.day import services as day_services
from quarry.apps.flown.fields import PhotoColumns
from quarry.core.ground.geodesy import LocalFrame
from tests.factories import job_plan, post_events, post_telemetry


def fly(lead, day, *, telemetry=(), shut=(), done=None, leave_out=()):
    """Begin the day and land its sorties as planned, one each half hour; some tell where they are, some have nozzles shut on lines."""
    run = day_services.start_run(actor=lead, day_id=day.pk)
    opens = days.moments_of(day)[0]
    routes = days.read_run(run).kept.routes
    sets = sorted({f["set"] for f in run.frame["plan"]["flights"]})
    events, t = [], 10.0
    for k, (name, route) in enumerate(sorted(routes.items())):
        if name in leave_out:
            continue
        up, down = opens + timedelta(minutes=t), opens + timedelta(minutes=t + 12)
        events.append({"key": f"u{name}", "kind": "launched", "at": up, "figures": {"flight": name, "set": sets[k % len(sets)]}})
        landed = {"flight": name, "left_frac": 0.4} | ({"done_frac": done[name]} if done and name in done else {})
        events.append({"key": f"d{name}", "kind": "landed", "at": down, "figures": landed})
        if name in telemetry:
            post_telemetry(actor=lead, day_id=day.pk, readings=places_along(name, route, up, shut=shut))
        t += 14
    post_events(actor=lead, day_id=day.pk, device="tablet", device_now=timezone.now(), events=events)
    return run


def places_along(name, route, up, *, shut=(), step_m=5.0, says=True):
    """Readings along the lines of a route at 5 m/s, closed on the lines whose numbers are in ``shut``, and between lines."""
    frame = LocalFrame.around([route.home])
    found, now, at = [], up, np.zeros(2)
    for number, line in enumerate(route.lines, start=1):
        corners = np.array([at, *frame.to_metres(line)])
        for leg, (a, b) in enumerate(zip(corners, corners[1:], strict=False)):
            n = max(2, int(np.hypot(*(b - a)) / step_m))
            for k in range(n if leg == 0 else n + 1):
                lon, lat = frame.to_degrees([tuple(a + (b - a) * k / n)])[0]
                works = (leg > 0 and number not in shut) if says else None
                found.append({"flight": name, "at": now, "lon_deg": lon, "lat_deg": lat, "height_m": 3.0, "works": works})
                now += timedelta(seconds=1)
        at = corners[-1]
    return found


def photo_places(job, day, *, left_out=(), ahead_s=0.0):
    """Time, longitude and latitude of photos along the planned lines, one every trigger distance."""
    plan = job_plan(job)
    trigger = next(f["value"] for f in plan["figures"] if f["key"] == "trigger_m")
    route = days.read_run(days.run_of(day.pk)).kept.routes
    frame = LocalFrame.around([next(iter(route.values())).home])
    up = days.moments_of(day)[0] + timedelta(minutes=10)
    rows = []
    t = up.timestamp() + 90.0 + ahead_s
    for name in sorted(route):
        for number, line in enumerate(route[name].lines, start=1):
            (x0, y0), (x1, y1) = frame.to_metres(line)
            length = float(np.hypot(x1 - x0, y1 - y0))
            for k, s in enumerate(np.arange(0.0, length + trigger, trigger)):
                share = min(1.0, s / length)
                t += 1.5
                if (name, number, k) in left_out:
                    continue
                lon, lat = frame.to_degrees([(x0 + (x1 - x0) * share, y0 + (y1 - y0) * share)])[0]
                rows.append((t, lon, lat))
            t += 6.0
        t += 240.0
    return rows


def photos_of(job, day, *, left_out=(), ahead_s=0.0, jump=None):
    """The columns of such photos; one of them may be much brighter than those around it."""
    rows = photo_places(job, day, left_out=left_out, ahead_s=ahead_s)
    n = len(rows)
    return PhotoColumns(
        [f"P{k:05d}.JPG" for k in range(n)],
        [r[0] for r in rows],
        [r[1] for r in rows],
        [r[2] for r in rows],
        relative_m=[45.0] * n,
        exposure_s=[1 / 1000] * n,
        iso=[100.0] * n,
        f_number=[5.6 if k != jump else 1.4 for k in range(n)],
    )


def jpeg(lon, lat, at_s, *, size=(5472, 3648)):
    """A small picture whose EXIF says where and when it was taken, as cameras write it (Exif 2.32, CIPA DC-008)."""
    at = datetime.fromtimestamp(at_s, UTC)

    def parts(value):
        whole = abs(value)
        minutes = (whole - int(whole)) * 60
        return (
            IFDRational(int(whole), 1),
            IFDRational(int(minutes), 1),
            IFDRational(round((minutes - int(minutes)) * 60 * 100_000), 100_000),
        )

    exif = Image.Exif()
    exif[0x8769] = {
        0x9003: at.strftime("%Y:%m:%d %H:%M:%S"),
        0x9011: "+00:00",
        0x829A: IFDRational(1, 1000),
        0x8827: 100,
        0x829D: IFDRational(56, 10),
        0xA002: size[0],
        0xA003: size[1],
    }
    exif[0x8825] = {1: "N" if lat >= 0 else "S", 2: parts(lat), 3: "E" if lon >= 0 else "W", 4: parts(lon)}
    out = io.BytesIO()
    Image.new("RGB", (32, 24), (90, 90, 80)).save(out, "JPEG", exif=exif.tobytes())
    return out.getvalue()
