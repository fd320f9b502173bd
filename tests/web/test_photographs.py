"""Photographs of plates: what is taken in, what is refused, and what becomes ink."""

import io
import struct
import time
import zlib
from uuid import uuid4

import pytest
from PIL import Image

from helvor.core.techniques.planar.plate import Spot, gather
from helvor.core.techniques.planar.work_out import work_out
from helvor.notebook import pages, photographs, pictures
from tests.web.conftest import HTMX, small_photograph


def saved(kind, size=(420, 560), **how):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 160, 80)).save(out, kind, **how)
    return out.getvalue()


def two_frames():
    out = io.BytesIO()
    first, second = (Image.new("RGB", (420, 560), colour) for colour in ("green", "white"))
    first.save(out, "WEBP", save_all=True, append_images=[second], duration=100)
    return out.getvalue()


def a_bomb(side):
    """A PNG of a few bytes that says how large it is."""
    real = saved("PNG")
    header = b"IHDR" + struct.pack(">II", side, side) + real[24:29]
    return real[:12] + header + struct.pack(">I", zlib.crc32(header)) + real[33:]


HOSTILE = {
    "empty": ("plate.jpg", b"", "empty"),
    "no picture": ("plate.jpg", b"<html>hello</html>" * 40, "cannot be read"),
    "a script in disguise": ("plate.png", b"GIF89a<script>alert(1)</script>", "cannot be read"),
    "cut short": ("plate.jpg", small_photograph()[:9000], "cannot be read"),
    "cut png": ("plate.png", saved("PNG")[:300], "cannot be read"),
    "named otherwise": ("plate.png", small_photograph(), "holds a JPEG"),
    "no suffix of a picture": ("plate.exe", small_photograph(), "holds a JPEG"),
    "animated": ("plate.webp", two_frames(), "animated"),
    "bomb": ("plate.png", a_bomb(8_000), "64 million pixels"),
    "larger bomb": ("plate.png", a_bomb(30_000), "cannot be read"),
    "tiny": ("plate.jpg", saved("JPEG", (60, 80)), "too few"),
    "gif": ("plate.gif", saved("GIF"), "cannot be read"),
    "too many bytes": ("plate.jpg", small_photograph() + b"\0" * (12 << 20), "up to 12 MB"),
}


def upload(client, school, content=None, name="plate.jpg", **fields):
    data = {"entry": str(uuid4()), "light": "254"} | fields
    files = {"file": (name, content if content is not None else small_photograph())}
    return client.post(f"{school.url}/photo/files", data=data, files=files)


def read_to_its_end(client, school, photo):
    for _ in range(200):
        answer = client.get(f"{school.url}/photos/{photo}/stage", headers=HTMX)
        assert answer.status_code == 200, answer.text
        if "hx-redirect" in answer.headers:
            return client.get(answer.headers["hx-redirect"])
        assert "<progress" in answer.text
        time.sleep(0.05)
    raise AssertionError("it was never read")


def plate_of(school):
    return gather(pages.open_page(school.conn, school.ida.account, school.page)[1])


@pytest.mark.parametrize("case", HOSTILE)
def test_what_is_no_photograph_is_refused_with_the_reason(school, ida, case):
    name, content, says = HOSTILE[case]
    before = school.entries()
    answer = upload(ida, school, content, name, light="365")
    assert answer.status_code == 422, case
    assert says in answer.text
    assert 'value="365" checked' in answer.text
    assert school.entries() == before
    assert school.conn.execute("SELECT count(*) FROM photograph").fetchone() == (0,)


def test_a_photograph_is_taken_in_read_and_kept_as_readings(school, ida):
    first = upload(ida, school)
    assert first.status_code == 303
    photo = first.headers["location"].partition("photo=")[2]
    page = read_to_its_end(ida, school, photo)
    assert "Save ticked spots" in page.text
    assert page.text.count('name="keep"') == 2
    entry = str(uuid4())
    form = {
        "entry": entry,
        "keep": ["0", "1"],
        "lane_0": str(school.lane),
        "lane_1": str(school.lane),
        "mm_0": "60.0",
        "mm_1": "30.0",
        "front": "yes",
        "added_lane": [str(school.lane)],
        "added_mm": ["12,5"],
    }
    proposal = photographs.one(school.conn, school.page, photo).proposal
    found = [spot.up - proposal.origin.at(spot.x) for spot in proposal.spots]
    form["mm_0"] = f"{found[0]:.1f}"
    for _ in range(2):  # sent twice, written once
        assert ida.post(f"{school.url}/photos/{photo}/accept", data=form).status_code == 303
    plate = plate_of(school)
    assert [on.name for on in plate.spots] == ["T1", "T2", "T3"]
    upper, moved, added = (on.spot for on in plate.spots)
    assert upper.from_photo.placed == "found" and upper.from_photo.u < 0.4
    assert upper.head.value > upper.distance.value > upper.tail.value
    assert moved.distance.value == 30.0 and moved.from_photo.placed == "by hand"
    assert added.distance.value == 12.5 and added.head is None
    assert all(on.spot.seen == ("254",) for on in plate.spots)
    assert plate.front.from_photo is not None
    assert plate.front.distance.value == pytest.approx(80, abs=0.6)
    history = ida.get(f"{school.url}/history").text
    assert "photograph under 254 nm" in history
    assert "from a photograph" in history
    assert ",photo" in ida.get(f"{school.url}/plate.csv").text
    u = next(s.rf.u for s in work_out(pages.open_page(school.conn, school.ida.account, school.page)[1]).spots)
    assert 0 < u < 0.01


def test_a_second_upload_of_the_same_form_keeps_one(school, ida):
    entry = str(uuid4())
    for _ in range(2):
        assert upload(ida, school, entry=entry).status_code == 303
    assert school.conn.execute("SELECT count(*) FROM photograph").fetchone() == (1,)


def test_a_spot_seen_under_another_light_is_the_same_spot(school, ida):
    photo = school.photo
    proposal = photographs.one(school.conn, school.page, photo).proposal
    upper = proposal.spots[0].up - proposal.origin.at(proposal.spots[0].x)
    ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": f"T {upper - 0.4:.1f} purple"})
    form = {
        "entry": str(uuid4()),
        "keep": ["0", "1"],
        "lane_0": str(school.lane),
        "lane_1": str(school.lane),
        "mm_0": f"{upper:.1f}",
        "mm_1": "35.0",
    }
    assert ida.post(f"{school.url}/photos/{photo}/accept", data=form).status_code == 303
    before = school.entries()
    assert ida.post(f"{school.url}/photos/{photo}/accept", data=form).status_code == 303, "sent again"
    assert school.entries() == before
    spots = [on.spot for on in plate_of(school).spots]
    assert len(spots) == 2
    assert spots[0].seen == ("daylight", "254")
    assert spots[0].swatch == "purple"
    assert spots[0].from_photo is None, "the ruler's reading stands"
    # Read once more from the same photograph, it is a correction of what stands.
    again = form | {"entry": str(uuid4())}
    assert ida.post(f"{school.url}/photos/{photo}/accept", data=again).status_code == 303
    assert len(plate_of(school).spots) == 2


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"keep": ["9"]}, "These proposals are out of date: the photograph was analysed again"),
        ({"keep": ["0"], "lane_0": "", "mm_0": "30"}, "Choose the lane"),
        ({"keep": ["0"], "mm_0": "thirty"}, "thirty"),
        ({"keep": ["0"], "mm_0": "300"}, "is more than the plate, which is"),
        ({}, "Tick a spot or the front first"),
        ({"entry": ""}, "Reload the page; nothing was saved"),
    ],
)
def test_what_cannot_be_kept_is_said(school, ida, changes, says):
    photo, before = school.photo, school.entries()
    form = {"entry": str(uuid4()), "lane_0": str(school.lane)} | changes
    answer = ida.post(f"{school.url}/photos/{photo}/accept", data=form)
    assert answer.status_code in (400, 422)
    assert says in answer.text
    assert school.entries() == before
    if "mm_0" in changes:  # what was typed stays
        assert f'value="{changes["mm_0"]}"' in answer.text


@pytest.mark.parametrize(
    "corners", ["0.1 0.1 0.9 0.1", "0.1 0.1 0.9 0.9 0.9 0.1 0.1 0.9", "a b c d e f g h", "nan " * 8]
)
def test_corners_that_are_none_are_refused(school, ida, corners):
    answer = ida.post(f"{school.url}/photos/{school.photo}/read", data={"corners": corners})
    assert answer.status_code in (400, 422)
    assert "corners" in answer.text.lower() or "outline" in answer.text


def test_corners_set_by_hand_are_read_with(school, ida):
    photo = school.photo
    by_hand = "0.2 0.12 0.8 0.12 0.8 0.9 0.2 0.9"
    assert ida.post(f"{school.url}/photos/{photo}/read", data={"corners": by_hand}).status_code == 303
    read_to_its_end(ida, school, photo)
    read = photographs.one(school.conn, school.page, photo)
    assert read.proposal.corners == ((0.2, 0.12), (0.8, 0.12), (0.8, 0.9), (0.2, 0.9))
    assert read.proposal.corners_sure == 1
    assert ida.post(f"{school.url}/photos/{photo}/read", data={"turns": "1"}).status_code == 303
    assert photographs.one(school.conn, school.page, photo).asked.turns == 1
    read_to_its_end(ida, school, photo)


def test_a_reading_whose_process_died_is_begun_again_by_who_looks(school, ida):
    photo = school.photo
    school.conn.execute(
        "UPDATE photograph_reading SET stage = 'light', told_at = now() - interval '1 minute', proposal = NULL"
    )
    assert ida.get(f"{school.url}/photo").status_code == 200
    assert read_to_its_end(ida, school, photo).status_code == 200
    assert photographs.one(school.conn, school.page, photo).proposal is not None


def test_an_older_reading_does_not_write_over_a_newer_one(school):
    photo = school.photo
    asked = photographs.one(school.conn, school.page, photo).asked
    number = photographs.ask(school.conn, photo, asked)
    photographs.read(school.app.state.pool, photo, number - 1)
    assert photographs.one(school.conn, school.page, photo).stage == "opening"
    photographs.read(school.app.state.pool, photo, number)
    assert photographs.one(school.conn, school.page, photo).stage == "done"


def test_a_slower_reading_of_the_same_asking_does_not_undo_a_finished_one(school, monkeypatch):
    photo = school.photo
    number = photographs.one(school.conn, school.page, photo).number
    stages = []

    def slow(*_):
        stages.append(photographs.one(school.conn, school.page, photo).stage)
        raise OSError

    monkeypatch.setattr(photographs, "propose", slow)
    with pytest.raises(RuntimeError):
        photographs.read(school.app.state.pool, photo, number)
    assert stages == ["done"]
    after = photographs.one(school.conn, school.page, photo)
    assert (after.stage, after.trouble) == ("done", "")


def test_before_the_plate_is_set_up_its_size_is_asked_for(school, ida):
    bench = school.ida.bench
    page = uuid4()
    ida.post(f"/benches/{bench}/plates", data={"page": str(page)})
    assert "Set up the plate first" in ida.get(f"/plates/{page}/photo").text
    files = {"file": ("plate.jpg", small_photograph())}
    answer = ida.post(f"/plates/{page}/photo/files", data={"entry": str(uuid4()), "light": "254"}, files=files)
    assert answer.status_code == 422


def test_the_original_keeps_its_pixels_and_loses_where_it_was_taken(school, ida):
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x010F] = "a camera"
    exif.get_ifd(0x8825)[2] = (54.0, 30.0, 0.0)
    out = io.BytesIO()
    Image.open(io.BytesIO(small_photograph())).rotate(90, expand=True).save(
        out, "JPEG", exif=exif, comment=b"secret", quality=90
    )
    photo = upload(ida, school, out.getvalue()).headers["location"].partition("photo=")[2]
    kept = ida.get(f"{school.url}/photos/{photo}/original.jpg").content
    assert b"camera" not in kept and b"secret" not in kept
    opened, was = Image.open(io.BytesIO(kept)), Image.open(io.BytesIO(out.getvalue()))
    assert dict(opened.getexif()) == {0x0112: 6}
    assert opened.tobytes() == was.tobytes()
    shown = Image.open(io.BytesIO(ida.get(f"{school.url}/photos/{photo}/shown.jpg").content))
    assert shown.size == (420, 560)
    read_to_its_end(ida, school, photo)


@pytest.mark.parametrize("kind", ["PNG", "WEBP"])
def test_other_kinds_are_laid_bare_too(kind):
    exif = Image.Exif()
    exif[0x010F] = "a camera"
    content = saved(kind, exif=exif)
    assert b"a camera" in content
    bare = pictures.bare(kind, content)
    assert b"a camera" not in bare
    assert (
        Image.open(io.BytesIO(bare)).convert("RGB").tobytes()
        == Image.open(io.BytesIO(content)).convert("RGB").tobytes()
    )


def test_the_same_as_json(ida):
    data = {"width_mm": "50", "height_mm": "100"}
    answer = ida.post("/api/planar/photo/files", data=data, files={"file": ("plate.jpg", small_photograph())})
    assert answer.status_code == 200, answer.text
    says = answer.json()
    assert says["light"] == "254"
    assert len(says["spots"]) == 2


def test_a_moved_reading_is_a_reading_by_hand(school, ida):
    photo = school.photo
    form = {"entry": str(uuid4()), "keep": ["0"], "lane_0": str(school.lane), "mm_0": "60.0"}
    ida.post(f"{school.url}/photos/{photo}/accept", data=form)
    spot = plate_of(school).spots[0]
    assert isinstance(spot.spot, Spot) and spot.spot.from_photo is not None
    ida.post(
        f"{school.url}/drop", data={"entry": str(uuid4()), "what": "spot", "key": str(spot.key), "distance": "58.5"}
    )
    assert plate_of(school).spots[0].spot.from_photo is None


def test_a_plate_without_lanes_gets_them_from_its_photograph_once(school, ida):
    page = uuid4()
    ida.post(f"/benches/{school.ida.bench}/plates", data={"page": str(page)})
    set_up = {
        "kind": "set-up",
        "entry": str(uuid4()),
        "phase": "silica",
        "backing": "aluminium",
        "width": "50",
        "height": "100",
        "origin": "10",
        "ruler": "0.5 mm",
    }
    assert ida.post(f"/plates/{page}/entries", data=set_up, headers=HTMX).status_code == 200
    files = {"file": ("plate.jpg", small_photograph())}
    taken = ida.post(f"/plates/{page}/photo/files", data={"entry": str(uuid4()), "light": "254"}, files=files)
    photo = taken.headers["location"].partition("photo=")[2]
    photographs.read_at_once(school.conn, photo)
    form = {"entry": str(uuid4()), "keep": ["0"], "lane_0": "0", "mm_0": "60.0", "front": "yes"}
    for _ in range(2):
        assert ida.post(f"/plates/{page}/photos/{photo}/accept", data=form).status_code == 303
    plate = gather(pages.open_page(school.conn, school.ida.account, page)[1])
    assert [lane.label for lane in plate.lanes] == ["A"]
    assert [on.name for on in plate.spots] == ["A1"]
    # The other spot is kept later, from the same reading: its lane is the plate's by now.
    key = str(plate.lanes[0].key)
    assert f'name="lane_1" value="{key}"' in ida.get(f"/plates/{page}/photo?photo={photo}").text
    form = {"entry": str(uuid4()), "keep": ["1"], "lane_1": key, "mm_1": "35.0"}
    assert ida.post(f"/plates/{page}/photos/{photo}/accept", data=form).status_code == 303
    assert len(gather(pages.open_page(school.conn, school.ida.account, page)[1]).spots) == 2
