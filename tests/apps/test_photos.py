"""A look after a flight, with a photo that is kept small and tells nothing of where it was taken."""

import contextlib
import io
from uuid import uuid4

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care import queries, services
from quarry.apps.care.formats.photo import PhotoError, read_photo
from quarry.apps.care.models import PackPhoto


def photo(width=4000, height=3000, form="JPEG", orientation=None):
    image = Image.effect_noise((width // 8, height // 8), 80).resize((width, height)).convert("RGB")
    exif = Image.Exif()
    exif[0x010F] = "Maker of cameras"
    if orientation:
        exif[0x0112] = orientation
    held = io.BytesIO()
    image.save(held, form, **({"exif": exif} if form == "JPEG" else {}))
    return held.getvalue()


class TestReading:
    @pytest.mark.parametrize("form", ["JPEG", "PNG", "WEBP"])
    def test_a_large_photo_is_kept_small_without_what_it_was_taken_by(self, form):
        kept = read_photo(photo(1600, 1200, form))
        with Image.open(io.BytesIO(kept)) as found:
            assert found.format == "JPEG"
            assert max(found.size) <= 1280
            assert not found.getexif()
        assert len(kept) < 400_000

    def test_one_taken_upright_is_turned(self):
        with Image.open(io.BytesIO(read_photo(photo(800, 400, orientation=6)))) as found:
            assert found.height > found.width

    def test_what_is_no_photo_or_is_cut_off_is_refused_in_words(self):
        whole = photo(400, 300)
        for data in (b"", b"GIF89a...", whole[: len(whole) // 3], b"<svg/>"):
            with pytest.raises(PhotoError, match="no photo that can be read"):
                read_photo(data)

    @given(st.lists(st.tuples(st.integers(0, 10**6), st.binary(max_size=4)), max_size=8))
    @settings(max_examples=60, deadline=None)
    def test_a_damaged_one_is_refused_or_read(self, wounds):
        data = bytearray(SMALL)
        for place, other in wounds:
            at = place % len(data)
            data[at : at + len(other)] = other
        with contextlib.suppress(PhotoError):
            assert read_photo(bytes(data))


SMALL = photo(320, 240)


class TestLooking:
    def test_a_look_with_swelling_grounds_for_good_and_shows_its_photo(self, lead, fleet):
        kept = services.add_photo(actor=lead, pack_id=fleet["01"].pk, data=SMALL)
        figures = {"swelling": True, "words": "corner lifts", "photo": str(kept.key)}
        services.add_record(actor=lead, pack_id=fleet["01"].pk, kind="look", figures=figures)
        fleet["01"].refresh_from_db()
        assert fleet["01"].grounded
        assert fleet["01"].grounded_why.startswith("swollen")
        assert queries.photo_of(kept.key).startswith(b"\xff\xd8")

    def test_moisture_is_watched_until_it_looks_dry(self, lead, fleet):
        def level():
            return next(p.level for p in queries.shelf({}).packs if p.name == "01")

        before = level()
        services.add_record(actor=lead, pack_id=fleet["01"].pk, kind="look", figures={"moisture": True})
        assert level() == "watch"
        services.add_record(actor=lead, pack_id=fleet["01"].pk, kind="look", figures={})
        assert level() == before

    def test_what_is_no_photo_is_refused_at_the_file_and_nothing_is_kept(self, lead, fleet):
        with pytest.raises(DomainError) as bad:
            services.add_photo(actor=lead, pack_id=fleet["01"].pk, data=b"not a photo")
        assert bad.value.field == "file"
        assert not PackPhoto.objects.exists()
        with pytest.raises(DomainError, match="no such photo"):
            queries.photo_of(uuid4())
