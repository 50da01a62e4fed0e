"""Pictures and films of other libraries' making, brought in and shown; and what is none."""

from __future__ import annotations

import io
from pathlib import Path

import av
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from isthmus.demo import lantern_tide
from isthmus.demo.wall import with_wall
from isthmus.errors import Cancelled, FileFault
from isthmus.output import Live
from isthmus.pixels import media as core
from isthmus.pixels.layer_edits import add_layer, put_set
from isthmus.pixels.media import bring, frames_of, put_media
from isthmus.pixels.painting import Shown
from isthmus.pixels.ready import Studio
from isthmus.show import open_show, save_show
from isthmus.show.records import LayerSet, Show

COLOURS = {"red": (255, 0, 0), "green": (0, 255, 0), "blue": (0, 0, 255), "white": (255, 255, 255)}


@pytest.fixture(autouse=True)
def own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    return tmp_path / "cache"


def quarters(turn: int, size: tuple[int, int] = (300, 80)) -> Image.Image:
    """Four quarters in four colours, each step one further round."""
    names = list(COLOURS)
    picture = Image.new("RGB", size)
    for at, (x, y) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
        box = Image.new("RGB", (size[0] // 2, size[1] // 2), COLOURS[names[(at + turn) % 4]])
        picture.paste(box, (x * size[0] // 2, y * size[1] // 2))
    return picture


def film(path: Path, codec: str, seconds: int = 4, rate: int = 10) -> Path:
    """A second of each turn, by PyAV."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = 320, 96, "yuv420p"
        for at in range(seconds * rate):
            frame = av.VideoFrame.from_image(quarters(at // rate, (320, 96)))
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    return path


def shown(show: Show, path: Path, times: list[float]) -> list[list[str]]:
    """Which colour the four quarters of the wall have at times, by the bytes of four panels' middle cells: red, green and blue of each compared with one another."""
    brought = bring(path, 60)
    show, made = put_media(show, brought)
    one = add_layer(LayerSet(id="", number=1, grid=show.grids[0].id), "media", media=made)
    show, name = put_set(replace(show, layer_sets=()), one)
    live = Live(show)
    pictures = Studio(frames_of).pictures(show, live, [name])
    found = []
    for time in times:
        levels = live.compiled.defaults.copy()
        pictures.paint(levels, [Shown(name, 0.0)], time)
        frame = live.compiled.frame()
        live.rendering.write(live.rendering.shaped(levels), frame)
        told = []
        for number in (701, 705, 710, 706):  # as the quarters go round
            [unit] = [u for u in show.units if u.number == number]
            first = live.compiled.universes.index(unit.patch[0].universe) * 512
            rgb = frame[first + unit.patch[0].address :][30:33].astype(int)
            bright = rgb > 0.3 * rgb.max()
            told.append("white" if bright.all() else list(COLOURS)[int(rgb.argmax())])
        found.append(told)
    return found


def test_a_film_a_gif_and_a_picture_arrive_cell_by_cell(tmp_path: Path) -> None:
    """Their colours known, at times within their frames; kept through saving, opened on another machine."""
    show = with_wall(lantern_tide())
    names = list(COLOURS)
    turned = [[names[(i + t) % 4] for i in range(4)] for t in range(4)]
    moving = film(tmp_path / "quarters.mp4", "mpeg4")
    assert shown(show, moving, [0.05, 0.5, 1.5, 2.5, 3.5, 4.5]) == [*(turned[t] for t in (0, 0, 1, 2, 3, 0))]  # fmt: skip
    gif = tmp_path / "quarters.gif"
    frames = [quarters(t) for t in range(4)]
    frames[0].save(gif, save_all=True, append_images=frames[1:], duration=500, loop=0)
    assert shown(show, gif, [0.2, 0.7, 1.2, 1.7, 2.2]) == [turned[t] for t in (0, 1, 2, 3, 0)]
    webp = tmp_path / "quarters.webp"
    frames[0].save(webp, save_all=True, append_images=frames[1:], duration=500, lossless=True)
    assert shown(show, webp, [0.2, 0.7, 1.2]) == [turned[t] for t in (0, 1, 2)]
    quarters(2).save(tmp_path / "quarters.png")
    assert shown(show, tmp_path / "quarters.png", [0.0, 9.0]) == [turned[2], turned[2]]

    # kept in the show, the original gone, on a machine that never saw it
    brought = bring(moving, 60)
    assert brought.media.frames == 40 and brought.media.rate == pytest.approx(10, rel=0.03)
    assert brought.media.size == (60, 18) and "4.0 s of 320 × 96" in brought.words
    kept, media_id = put_media(show, brought)
    save_show(kept, tmp_path / "show.isthmus")
    moving.unlink()
    for one in core.cache().glob("*.npy"):
        one.unlink()
    again = open_show(tmp_path / "show.isthmus")
    source = frames_of(again, next(m for m in again.media if m.id == media_id))
    first = source.at(0.0).T.reshape(18, 60, 3)
    assert first[4, 10, 0] > 0.8 > 0.2 > first[4, 10, 1] and first[4, 50, 1] > 0.8
    assert put_media(kept, brought)[0] is kept  # the same once more is the same
    gone = core.remove_media(kept, media_id)
    assert len(gone.files) == len(kept.files) - 1 and not gone.media


def test_light_adds_up_when_a_picture_is_made_smaller(tmp_path: Path) -> None:
    """Black and white lines become half the light (code 188), see-through parts show what is below."""
    lines = np.zeros((240, 240, 4), np.uint8)
    lines[:, ::2] = 255
    lines[:, 1::2, 3] = 255
    lines[:120] = (255, 0, 0, 0)
    Image.fromarray(lines).save(tmp_path / "lines.png")
    source = frames_of_show(bring(tmp_path / "lines.png", 60))
    seen = source.at(0.0).T.reshape(60, 60, 4)
    assert seen[45, 30] == pytest.approx([0.5, 0.5, 0.5, 1.0], abs=0.02)
    assert not seen[10, 30].any()


def frames_of_show(brought: core.Brought):
    show, made = put_media(Show(), brought)
    return frames_of(show, next(m for m in show.media if m.id == made))


def sound(path: Path) -> None:
    with av.open(str(path), "w", format="wav") as out:
        stream = out.add_stream("pcm_s16le", rate=8000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 8000), np.int16), "s16", "mono")
        frame.rate = 8000
        out.mux(stream.encode(frame))
        out.mux(stream.encode())


def huge(path: Path) -> None:
    """A PNG that says it is 30 000 pixels each way."""
    whole = io.BytesIO()
    Image.new("L", (8, 8)).save(whole, "PNG")
    data = bytearray(whole.getvalue())
    data[16:24] = (30000).to_bytes(4, "big") * 2
    path.write_bytes(bytes(data))


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda p: p.write_bytes(b""), "no picture or video"),
        (lambda p: p.write_bytes(np.random.default_rng(1).bytes(200_000)), ""),
        (lambda p: p.write_text("#EXTM3U\n/etc/passwd\n"), ""),
        (sound, "only sound"),
        (huge, "64 million"),
        (lambda p: p.mkdir(), "not a file"),
    ],
    ids=["empty", "noise", "playlist", "sound", "huge", "folder"],
)
def test_what_is_no_picture_ends_in_a_sentence(tmp_path: Path, make, words: str) -> None:
    path = tmp_path / "thing.mp4"
    make(path)
    with pytest.raises(FileFault) as told:
        bring(path, 60)
    assert "thing.mp4" in str(told.value) and words in str(told.value)


def test_a_damaged_film_gives_what_can_be_read_a_long_one_its_beginning_and_all_can_be_cancelled(
    tmp_path: Path,
) -> None:
    whole = film(tmp_path / "whole.avi", "mpeg4")
    data = whole.read_bytes()
    cut = tmp_path / "cut.avi"
    cut.write_bytes(data[: len(data) * 8 // 10])
    brought = bring(cut, 60)
    assert 5 < brought.media.frames < 40 and "It is damaged" in brought.words
    many = tmp_path / "many.gif"
    frames = [Image.new("L", (4, 4), at * 60 % 250) for at in range(4_000)]
    frames[0].save(many, save_all=True, append_images=frames[1:], duration=[190 + at % 2 * 20 for at in range(4_000)])  # fmt: skip
    brought = bring(many, 60)
    assert 2_800 < brought.media.frames <= 3_200 and "Only its beginning" in brought.words

    def stop(share: float, words: str) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        bring(whole, 60, stop)
