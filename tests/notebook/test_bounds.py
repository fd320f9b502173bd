"""What comes from outside is bounded before it is unpacked, and nothing rides along behind a picture."""

import io
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from helvor.core.record.entry import Problem
from helvor.exchange import table_apart
from helvor.exchange.archive import read as read_archive
from helvor.exchange.archive import read_bounded
from helvor.exchange.records import BadRecord
from helvor.exchange.table_in import BadTable, read_table
from helvor.notebook import apart, files, photographs, pictures

SOURCE = Path(files.__file__).parents[2]


def picture(kind, size=(900, 700), mode="RGB", **more):
    out = io.BytesIO()
    noise = Image.effect_noise(size, 60).convert(mode)
    noise.save(out, kind, **more)
    return out.getvalue()


@pytest.mark.parametrize(
    ("kind", "more"),
    [
        ("JPEG", {}),
        ("JPEG", {"progressive": True}),
        ("JPEG", {"quality": 95, "subsampling": 0}),
        ("PNG", {}),
        ("WEBP", {}),
    ],
)
def test_nothing_is_kept_behind_the_end_of_a_picture(kind, more):
    """A second picture, a place, an archive: what a viewer never shows is not what is kept."""
    content = picture(kind, **more)
    hidden = b"PK\x03\x04 52.1 N 4.3 E " + picture("JPEG", (40, 40))
    kept = pictures.bare(kind, content + hidden)
    assert hidden[:20] not in kept and len(kept) <= len(content)
    with Image.open(io.BytesIO(content)) as before, Image.open(io.BytesIO(kept)) as after:
        assert before.convert("L").tobytes() == after.convert("L").tobytes()


def workbook(rows):
    from openpyxl import Workbook

    out, book = io.BytesIO(), Workbook()
    for row in rows:
        book.active.append(row)
    book.save(out)
    return out.getvalue()


def rewritten(content, name, old, new):
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as before, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as after:
        for info in before.infolist():
            held = before.read(info.filename)
            after.writestr(info.filename, held.replace(old, new) if info.filename == name else held)
    return out.getvalue()


def test_a_workbook_with_a_row_number_out_of_this_world_stops_at_once():
    sheet = "xl/worksheets/sheet1.xml"
    content = rewritten(workbook([["bench", "Rf"], ["1", "0.4"]]), sheet, b'r="2"', b'r="2000000000"')
    content = rewritten(content, sheet, b'ref="A1:B2"', b'ref="A1:B2000000000"')
    with pytest.raises(BadTable, match="delete the empty rows, or split the file"):
        read_table("readings.xlsx", content)


def test_a_small_archive_does_not_unpack_to_a_large_one():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("class.json", b" " * 90_000_000)
    with pytest.raises(BadRecord, match="far too large"):
        read_archive(io.BytesIO(out.getvalue()))


def test_an_archive_that_takes_too_much_is_left_in_a_process_of_its_own(monkeypatch):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("class.json", b"{}")
    with pytest.raises(BadRecord) as said:
        read_bounded("class.zip", out.getvalue())
    assert said.value.troubles[0][0] != "archive", "a light one is read here, and says where it is wrong"
    monkeypatch.setattr(apart, "SECONDS", 0.05)
    with pytest.raises(BadRecord, match="too long to read"):
        read_bounded("class.zip", out.getvalue())


def test_pictures_are_bounded_by_their_pixels_before_they_are_decoded():
    flat = io.BytesIO()
    Image.new("L", (6000, 6000)).save(flat, "PNG")
    for look in (files.make, photographs.look_at):
        with pytest.raises(Problem, match="million pixels"):
            look("bomb.png", flat.getvalue())
    whole = io.BytesIO()
    Image.new("RGB", (8000, 6000), "white").save(whole, "JPEG", quality=30)
    assert files.make("phone.jpg", whole.getvalue()).thumbnail
    assert photographs.look_at("phone.jpg", whole.getvalue()).shown


def test_ten_pictures_at_once_take_no_more_memory_than_one():
    """Ten of 48 million pixels in ten threads of a process of their own: under 400 MB at its most."""
    program = (
        "import io, re, threading\n"
        "from PIL import Image\n"
        "from helvor.notebook import files\n"
        "out = io.BytesIO(); Image.new('RGB', (4800, 4800), 'white').save(out, 'PNG')\n"
        "one = [threading.Thread(target=files.make, args=('a.png', out.getvalue())) for _ in range(10)]\n"
        "[t.start() for t in one]; [t.join() for t in one]\n"
        # The high-water mark of its own memory: the usual counter begins with that of who started it.
        "print(int(re.search(r'VmHWM:\\s+(\\d+) kB', open('/proc/self/status').read())[1]) // 1024)"
    )
    said = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=True, env={"PYTHONPATH": str(SOURCE)}
    )
    assert int(said.stdout) < 400


def test_grey_of_sixteen_bits_is_the_grey_that_it_looks_like():
    ramp = np.linspace(0, 65535, 480 * 300).reshape(300, 480).astype("uint16")
    out = io.BytesIO()
    Image.fromarray(ramp).save(out, "PNG")
    shown = [photographs.look_at("gel.png", out.getvalue()).shown, files.make("gel.png", out.getvalue()).content]
    for one in shown:
        grey = np.asarray(Image.open(io.BytesIO(one)).convert("L"), dtype=float)
        assert grey.min() < 8 and grey.max() > 247 and 120 < grey.mean() < 135


@pytest.mark.parametrize("brand", [b"heic", b"mif1", b"avif"])
def test_a_picture_of_a_phone_that_is_not_read_says_what_to_set(brand):
    content = b"\x00\x00\x00\x18ftyp" + brand + b"\x00" * 400
    for look in (files.make, photographs.look_at):
        with pytest.raises(Problem, match="Set the camera to JPEG"):
            look("IMG_1.HEIC", content)


def test_what_takes_too_much_memory_or_time_ends_in_its_own_process_with_a_sentence(monkeypatch):
    out = io.BytesIO()
    Image.new("RGB", (4800, 4800), "white").save(out, "PNG")
    monkeypatch.setenv("PYTHONPATH", str(SOURCE))
    monkeypatch.setattr(apart, "SECONDS", 0.05)
    with pytest.raises(Problem, match="too long to read"):
        files.make("slow.png", out.getvalue())
    limited = (
        "import sys; from helvor.notebook import apart; apart.MEMORY = 90 * 1024 * 1024;"
        " apart._child('photograph', 'large.png')"
    )
    said = subprocess.run(
        [sys.executable, "-c", limited],
        input=out.getvalue(),
        capture_output=True,
        env={"PYTHONPATH": str(SOURCE)},
        check=False,
    )
    assert said.returncode != 0 or b"unfit" in said.stdout.partition(b"\n")[0]


def test_who_waits_too_long_is_told_to_come_again(monkeypatch):
    monkeypatch.setattr(apart, "PATIENCE", 0.05)
    with apart._ONE_AT_A_TIME, pytest.raises(apart.Busy):
        files.make("one.jpg", picture("JPEG"))


def test_a_workbook_read_apart_is_the_same_table_and_says_the_same():
    content = workbook([["bench", "Rf"], ["1", "0.4"], ["2", 0.41]])
    assert table_apart.read("readings.xlsx", content) == read_table("readings.xlsx", content)
    with pytest.raises(BadTable, match="formula"):
        table_apart.read("readings.xlsx", workbook([["bench", "Rf"], ["1", "=1+1"]]))
