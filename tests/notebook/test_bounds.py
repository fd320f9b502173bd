"""What comes from outside is bounded before it is unpacked, and nothing rides along behind a picture."""

import io
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from PIL import Image

from helvor.bench.entry import Problem
from helvor.exchange.archive import read as read_archive
from helvor.exchange.records import BadRecord
from helvor.exchange.table_in import BadTable, read_table
from helvor.notebook import files, photographs

SOURCE = Path(files.__file__).parents[2]


def picture(kind, size=(900, 700), mode="RGB", **more):
    out = io.BytesIO()
    noise = Image.effect_noise(size, 60).convert(mode)
    noise.save(out, kind, **more)
    return out.getvalue()


@pytest.mark.parametrize(("kind", "more"), [
    ("JPEG", {}), ("JPEG", {"progressive": True}), ("JPEG", {"quality": 95, "subsampling": 0}), ("PNG", {}),
])  # fmt: skip
def test_nothing_is_kept_behind_the_end_of_a_picture(kind, more):
    """A second picture, a place, an archive: what a viewer never shows is not what is kept."""
    content = picture(kind, **more)
    hidden = b"PK\x03\x04 52.1 N 4.3 E " + picture("JPEG", (40, 40))
    kept = photographs.bare(kind, content + hidden)
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
    with pytest.raises(BadTable, match="further down than row"):
        read_table("readings.xlsx", content)


def test_a_small_archive_does_not_unpack_to_a_large_one():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("class.json", b" " * 90_000_000)
    with pytest.raises(BadRecord, match="far too large"):
        read_archive(io.BytesIO(out.getvalue()))


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
