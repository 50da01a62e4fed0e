"""Pictures and moving pictures read and fitted: `python -m isthmus.pixels.fitting`, a process of
its own, so that no file can bring another one down with it.

It writes frames (n, h, w, 3 or 4), bytes as a screen shows them, to a `.npy`; and says one JSON
line for each step, the last with what it found or why it could not.
"""

from __future__ import annotations

import argparse
import json
import math
import resource
import sys
from collections.abc import Iterable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.colour import decode_srgb, encode_srgb

if TYPE_CHECKING:
    from PIL.Image import Image

Codes = NDArray[np.uint8]
MEMORY = 3 << 30  # bytes this process may take
SECONDS = 600.0  # of a moving picture
KEPT = 160 << 20  # bytes of frames
RATE = 30.0  # frames a second that are kept at most
PIXELS = 64_000_000  # of one picture
BROKEN = 500  # pieces of a film that may be damaged
STILL, FILM = 8, 2  # pixels each way, of each that is kept, that are averaged as light
LINEAR = decode_srgb(np.arange(256) / 255).astype(np.float32)


class Unreadable(Exception):
    """Said to a person as it is."""


def tell(**what: Any) -> None:
    print(json.dumps(what), flush=True)


def fitted_size(whole: tuple[int, int], longest: int) -> tuple[int, int]:
    """As large as it is, or `longest` pixels on its longer side."""
    by = min(1.0, longest / max(whole))
    return max(1, round(whole[0] * by)), max(1, round(whole[1] * by))


def _finer(whole: tuple[int, int], size: tuple[int, int], most: int) -> int:
    return max(1, min(most, math.ceil(max(whole[0] / size[0], whole[1] / size[1]))))


def averaged(codes: Codes, size: tuple[int, int]) -> Codes:
    """A picture of a multiple of a size (width, height) brought to it, as light adds up."""
    by = codes.shape[0] // size[1]
    if by == 1:
        return codes
    light = LINEAR[codes[:, :, :3]]
    if codes.shape[2] == 4:
        there = codes[:, :, 3:].astype(np.float32) / 255
        light = np.concatenate([light * there, there], axis=2)
    mean = np.zeros((size[1], size[0], light.shape[2]), np.float32)
    for at in range(by * by):
        mean += light[at // by :: by, at % by :: by]
    mean /= by * by
    if codes.shape[2] == 4:
        mean[:, :, :3] /= np.maximum(mean[:, :, 3:], 1e-6)
    coded = encode_srgb(mean[:, :, :3])
    coded = np.concatenate([coded, mean[:, :, 3:]], axis=2)
    return (coded * 255 + 0.5).astype(np.uint8)


# ------------------------------------------------------------ pictures


def stills(path: Path, longest: int) -> tuple[Iterator[tuple[float, Codes]], dict[str, Any]] | None:
    """PNG, JPEG, GIF, WebP and others: (seconds each begins, codes), and what it is. None for what
    is not a picture.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    Image.MAX_IMAGE_PIXELS = PIXELS
    try:
        picture = Image.open(path, formats=("PNG", "JPEG", "GIF", "WEBP", "BMP", "TIFF"))
    except UnidentifiedImageError:
        return None
    except Image.DecompressionBombError:
        raise Unreadable("it has more than 64 million pixels.") from None
    if picture.width * picture.height > PIXELS:
        raise Unreadable("it has more than 64 million pixels.")
    count = int(getattr(picture, "n_frames", 1))
    whole = picture.size
    if count == 1:
        whole = ImageOps.exif_transpose(picture).size
    size = fitted_size(whole, longest)

    def frames() -> Iterator[tuple[float, Codes]]:
        time = 0.0
        for at in range(count):
            picture.seek(at)
            shown = picture if count > 1 else ImageOps.exif_transpose(picture)
            yield time, _codes(shown, size)
            time += max(20, int(picture.info.get("duration", 100) or 100)) / 1000
        if count > 1:
            yield time, np.zeros((0, 0, 3), np.uint8)  # where the last one ends

    return frames(), {"whole": whole, "size": size, "count": count, "still": count == 1}


def _codes(picture: Image, size: tuple[int, int]) -> Codes:
    from PIL import Image

    by = _finer(picture.size, size, STILL)
    clear = picture.mode in ("RGBA", "LA", "PA") or "transparency" in picture.info
    fine = (size[0] * by, size[1] * by)
    if clear:
        scaled = picture.convert("RGBA").convert("RGBa").resize(fine, Image.Resampling.BOX)
        return averaged(np.asarray(scaled.convert("RGBA")), size)
    return averaged(np.asarray(picture.convert("RGB").resize(fine, Image.Resampling.BOX)), size)


# ------------------------------------------------------------ moving pictures


def moving(path: Path, longest: int) -> tuple[Iterator[tuple[float, Codes]], dict[str, Any]]:
    """Whatever PyAV can open."""
    import av
    from av.error import FFmpegError
    from av.logging import set_level
    from av.video.reformatter import Interpolation

    set_level(None)
    try:
        container = av.open(str(path), options={"protocol_whitelist": "file"})
    except (FFmpegError, OSError, ValueError) as error:
        raise Unreadable("no picture or video can be read from it.") from error
    if not container.streams.video:
        raise Unreadable("there are no pictures in it (only sound?).")
    stream = container.streams.video[0]
    stream.thread_type = "AUTO"
    whole = stream.codec_context.width, stream.codec_context.height
    if min(whole) < 1 or whole[0] * whole[1] > PIXELS:
        raise Unreadable("its pictures have no size, or more than 64 million pixels.")
    long = float(stream.duration * stream.time_base) if stream.duration else 0.0  # type: ignore[operator]
    long = long or (container.duration or 0) / 1e6
    info: dict[str, Any] = {"whole": whole, "count": 0, "still": False, "long": long}

    def frames() -> Iterator[tuple[float, Codes]]:
        began, last, step = None, 0.0, 1 / 25
        for frame in _decoded(container, stream, info):
            time = float(frame.pts * frame.time_base) if frame.pts is not None else last + step
            began = time if began is None else began
            step, last = max(1e-3, time - last) if time > last else step, time
            turned = round(getattr(frame, "rotation", 0) / 90) % 4
            shape = (frame.width, frame.height)
            size = fitted_size(shape, longest)
            by = _finer(shape, size, FILM)
            scaled = frame.reformat(
                size[0] * by,
                size[1] * by,
                "rgb24",
                interpolation=Interpolation.AREA,
                src_colorspace="ITU709" if _high(frame) else None,
            )
            codes = averaged(scaled.to_ndarray().astype(np.uint8), size)
            yield time - began, np.rot90(codes, turned)
        if began is None:
            raise Unreadable("there are no pictures in it, or they are damaged.")
        yield last - began + step, np.zeros((0, 0, 3), np.uint8)

    return frames(), info


def _decoded(container: Any, stream: Any, info: dict[str, Any]) -> Iterator[Any]:
    """All frames that can be had; what is damaged is left out."""
    from av.error import FFmpegError

    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets, None)
            if packet is None:
                return
            yield from packet.decode()
        except EOFError:
            return
        except (FFmpegError, ValueError):
            info["damaged"] = info.get("damaged", 0) + 1
            if info["damaged"] > BROKEN:
                return


def _high(frame: Any) -> bool:
    """Whether colours that do not say how are meant as HD has them (BT.709)."""
    return int(getattr(frame, "colorspace", 2)) in (1, 2) and frame.height >= 720


# ------------------------------------------------------------ even steps


def even(frames: Iterable[tuple[float, Codes]], info: dict[str, Any]) -> tuple[list[Codes], float]:
    """Frames at an even rate, at most so many and so long, and the rate."""
    kept: list[tuple[float, Codes]] = []
    end, most, told = 0.0, 0, -1.0
    for time, codes in frames:
        end = max(end, time)
        if not codes.size:
            break
        shape = kept[0][1].shape if kept else codes.shape
        most = KEPT // max(1, math.prod(shape))
        if time >= SECONDS or len(kept) >= most:
            info["cut"] = True
            break
        if kept and time - kept[-1][0] < 0.9 / RATE:
            continue
        if codes.shape == shape:  # a film whose pictures change their size goes on with its first
            kept.append((time, codes))
        share = time / info["long"] if info.get("long") else len(kept) / max(1, info["count"])
        if share - told >= 0.02:
            told = share
            tell(share=min(1.0, share))
    if len(kept) <= 1:
        return [codes for _, codes in kept], 1.0
    steps = np.diff([t for t, _ in kept])
    rate = float(min(RATE, max(0.1, 1 / max(1e-3, np.median(steps)))))
    starts = np.array([t for t, _ in kept])
    count = int(min(max(1, round(end * rate)), KEPT // max(1, math.prod(kept[0][1].shape))))
    at = np.searchsorted(starts, (np.arange(count) + 0.25) / rate, "right") - 1
    return [kept[max(0, i)][1] for i in at], rate


# ------------------------------------------------------------ kept in the show


def pack(frames: Codes, rate: float, target: Path) -> None:
    """Without any loss: a still as PNG, what moves as FFV1 in Matroska."""
    if len(frames) == 1:
        from PIL import Image

        Image.fromarray(frames[0]).save(target, "PNG")
        return
    import av

    clear = frames.shape[3] == 4
    with av.open(str(target), "w", format="matroska") as out:
        stream = out.add_stream("ffv1", rate=Fraction(rate).limit_denominator(1000))
        stream.width, stream.height = frames.shape[2], frames.shape[1]
        stream.pix_fmt = "bgra" if clear else "bgr0"
        stream.options = {"level": "3", "slices": "4"}
        for codes in frames:
            frame = av.VideoFrame.from_ndarray(
                np.ascontiguousarray(codes), format="rgba" if clear else "rgb24"
            )
            out.mux(stream.encode(frame.reformat(format=stream.pix_fmt)))
        out.mux(stream.encode())


def unpack(path: Path) -> Codes:
    """What `pack` wrote; bounded as what is brought in is."""
    pictures = stills(path, 4096)
    if pictures is not None:
        return np.stack([codes for _, codes in pictures[0] if codes.size][:1])
    import av

    kept = []
    with av.open(str(path), options={"protocol_whitelist": "file"}) as container:
        stream = container.streams.video[0]
        form = "rgba" if stream.codec_context.pix_fmt == "bgra" else "rgb24"
        for frame in container.decode(stream):
            kept.append(frame.to_ndarray(format=form))
            if sum(one.nbytes for one in kept[:1]) * len(kept) > 2 * KEPT:
                raise Unreadable("it is larger than what is ever kept.")
    return np.stack(kept)


# ------------------------------------------------------------ as a process


def fit(source: Path, longest: int, packed: Path) -> Codes:
    opened = stills(source, longest) or moving(source, longest)
    frames, rate = even(*opened)
    info = opened[1]
    if not frames:
        raise Unreadable("there are no pictures in it.")
    short = len(frames) / rate < 0.9 * min(SECONDS, info.get("long", 0.0))
    clear = any(f.shape[2] == 4 and f[:, :, 3].min() < 255 for f in frames)
    made = np.stack([_as(f, clear) for f in frames])
    tell(share=1.0)
    pack(made, rate, packed)
    tell(
        done=True,
        whole=list(info["whole"]),
        size=[made.shape[2], made.shape[1]],
        frames=len(made),
        rate=rate,
        damaged=bool(info.get("damaged") or (short and not info.get("cut"))),
        cut=bool(info.get("cut")),
    )
    return made


def _as(codes: Codes, clear: bool) -> Codes:
    if clear and codes.shape[2] == 3:
        return np.concatenate([codes, np.full_like(codes[:, :, :1], 255)], axis=2)
    return codes if clear else codes[:, :, :3]


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("what", choices=("fit", "unpack"))
    parser.add_argument("source", type=Path)
    parser.add_argument("target", type=Path)
    parser.add_argument("--longest", type=int, default=256)
    parser.add_argument("--packed", type=Path)
    options = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    try:
        if options.what == "fit":
            made = fit(options.source, options.longest, options.packed)
        else:
            made = unpack(options.source)
        with options.target.open("wb") as file:
            np.save(file, made)
        tell(written=True)
    except Unreadable as error:
        tell(fault=str(error))
    except MemoryError:
        tell(fault="it would take more memory than a picture may.")
    except OSError as error:
        tell(fault=f"it cannot be read: {error.strerror or error}.")
    except Exception as error:  # whatever a library says of a damaged file
        tell(fault=f"it is damaged ({type(error).__name__}).")
    return 0


if __name__ == "__main__":
    sys.exit(main())
