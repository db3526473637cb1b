"""Teaches the reader of scanned pages: a network of jeweller.omr.network is shown lines of tools/page_lines.py,
spoilt as printers, scanners and phones spoil them, and what is on them.

python tools/train_pages.py FOLDER [--minutes M] [--seed N]      (asks for PyTorch: pip install torch==2.13.0)
"""

from __future__ import annotations

import argparse
import io
import json
import math
import sys
import time
from collections.abc import Collection
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

import numpy as np
import torch
from PIL import Image
from scipy import ndimage
from torch import nn
from torch.nn import functional

from jeweller.omr.network import (
    CELL,
    LINES,
    PIXELS,
    RARE_AT,
    RARE_WIDTH,
    REACH,
    SIGNS,
    WEIGHTS,
    WIDTHS,
    typical_sizes,
)

HELD = 12  # pixels a space of the pictures that are kept
HELD_REACH = 10
WIDE = 32  # spaces of a piece that is shown
BATCH = 12
NOTHING = -3.5  # log odds of a sign that is as good as none
VERY_SMALL = 0.82  # of a head's height: a grace note's
COMPOSED = {"dynamic_pp": "pp", "dynamic_ppp": "ppp", "dynamic_mp": "mp", "dynamic_mf": "mf", "dynamic_ff": "ff",
            "dynamic_fff": "fff", "dynamic_fp": "fp", "dynamic_sf": "sf", "dynamic_sfz": "sfz"}  # fmt: skip
SAME = {"rest_whole": "rest_block", "rest_half": "rest_block", "staccato": "dot", "unit_quarter": "",
        "unit_half": "", "unit_eighth": ""}  # fmt: skip
HEADS = ("out", "rare1", "rare2")
LARGE = {"clef_g", "clef_g_8", "clef_c", "clef_f", "segno", "coda", "fermata_above", "fermata_below"}
SIGN_AT = {kind: k for k, kind in enumerate(SIGNS)}
LINE_AT = {kind: k for k, kind in enumerate(LINES)}


class Reader(nn.Module):
    """The network that jeweller.omr.network computes."""

    def __init__(self) -> None:
        super().__init__()
        self.plain = False  # whether it goes on without normalisation
        a, b, c, d = WIDTHS
        self.a1, self.a2 = nn.Conv2d(1, a, 5, 2, 2), nn.Conv2d(a, a, 3, 1, 1)
        self.b1, self.b2 = nn.Conv2d(a, b, 3, 2, 1), nn.Conv2d(b, b, 3, 1, 1)
        self.c1, self.c2 = nn.Conv2d(b, c, 3, 2, 1), nn.Conv2d(c, c, 3, 1, 1)
        self.d1, self.d2, self.d3 = (
            nn.Conv2d(c, d, 3, 2, 1),
            nn.Conv2d(d, d, 3, 1, 1),
            nn.Conv2d(d, d, 3, 1, 1),
        )
        self.c3 = nn.Conv2d(c + d, c, 3, 1, 1)
        self.b3 = nn.Conv2d(b + c, b, 3, 1, 1)
        self.a3 = nn.Conv2d(a + b, b, 3, 1, 1)
        self.out = nn.Conv2d(b, len(SIGNS) + len(LINES), 1)
        self.rare1, self.rare2 = nn.Conv2d(b, RARE_WIDTH, 3, 1, 1), nn.Conv2d(RARE_WIDTH, len(RARE_AT), 1)
        # each layer is normalised while it learns; what it learnt is folded into its weights at the end
        self.norms = nn.ModuleDict({n: nn.BatchNorm2d(getattr(self, n).out_channels) for n in self.layers()})
        nn.init.constant_(self.out.bias, -4.0)
        nn.init.constant_(self.rare2.bias, -4.0)

    @staticmethod
    def layers() -> tuple[str, ...]:
        return ("a1", "a2", "b1", "b2", "c1", "c2", "d1", "d2", "d3", "c3", "b3", "a3")

    def step(self, name: str, x: torch.Tensor) -> torch.Tensor:
        return functional.relu(self.norms[name](getattr(self, name)(x)))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        a = self.step("a2", self.step("a1", x))
        b = self.step("b2", self.step("b1", a))
        c = self.step("c2", self.step("c1", b))
        d = self.step("d3", self.step("d2", self.step("d1", c)))
        c = self.step("c3", torch.cat([c, functional.interpolate(d, scale_factor=2)], 1))
        b = self.step("b3", torch.cat([b, functional.interpolate(c, scale_factor=2)], 1))
        a = self.step("a3", torch.cat([a, functional.interpolate(b, scale_factor=2)], 1))
        out = self.out(a).clone()
        out[:, RARE_AT] = self.rare2(functional.relu(self.rare1(a)))
        return out

    def folded(self) -> dict[str, np.ndarray]:
        """The weights with the normalisation in them."""
        kept = {}
        for name in self.layers():
            layer, norm = getattr(self, name), self.norms[name]
            by = norm.weight / torch.sqrt(norm.running_var + norm.eps)
            kept[f"{name}.weight"] = (layer.weight * by[:, None, None, None]).detach().numpy()
            kept[f"{name}.bias"] = ((layer.bias - norm.running_mean) * by + norm.bias).detach().numpy()
        for name in HEADS:
            layer = getattr(self, name)
            kept[f"{name}.weight"], kept[f"{name}.bias"] = (
                layer.weight.detach().numpy(),
                layer.bias.detach().numpy(),
            )
        return kept

    def unfold(self) -> None:
        """The weights that ship. Their normalisation is in them: there is none any more."""
        with np.load(WEIGHTS, allow_pickle=False) as held:
            for name in (*self.layers(), *HEADS):
                if f"{name}.weight" not in held:  # it is taught first
                    continue
                layer = getattr(self, name)
                layer.weight.data = torch.as_tensor(held[f"{name}.weight"].astype(np.float32))
                layer.bias.data = torch.as_tensor(held[f"{name}.bias"].astype(np.float32))
        for norm in self.norms.values():
            nn.init.ones_(norm.running_var).sub_(norm.eps)
            norm.requires_grad_(False)
        self.plain = True
        self.train()  # what it is normalised by stays as it is from the first step on

    def train(self, mode: bool = True) -> Reader:
        super().train(mode)
        if self.plain:
            self.norms.eval()
        return self


class Strips:
    """The staves of a folder, and what is on them."""

    def __init__(self, folder: Path, part: str) -> None:
        self.pictures: list[np.ndarray] = []
        self.signs: list[list[tuple[int, float, float, float, float]]] = []
        self.lines: list[list[tuple[int, np.ndarray]]] = []
        for file in sorted(folder.glob("*.npz")):
            if (int(file.stem) % 20 == 19) != (part == "kept back"):
                continue
            with np.load(file) as held:
                for k in range(len(held.files) // 2):
                    picture = np.asarray(Image.open(io.BytesIO(held[f"picture{k}"].tobytes())))
                    self.pictures.append(255 - picture)
                    labels = json.loads(held[f"labels{k}"].tobytes())
                    self.signs.append(_signs(labels))
                    self.lines.append(_lines(labels))

    def places(self, only: Collection[int] = range(len(SIGNS))) -> list[list[tuple[int, float]]]:
        """(strip, x) of every sign, by kind; those that there are none of left out."""
        out: dict[int, list[tuple[int, float]]] = {}
        for k, signs in enumerate(self.signs):
            for kind, x, y, _wide, _high in signs:
                if abs(y) < REACH and kind in only:
                    out.setdefault(kind, []).append((k, x))
        return list(out.values())

    def sizes(self, only: Collection[int] = range(len(SIGNS))) -> np.ndarray:
        """Median width and height of each sign, in spaces."""
        out = typical_sizes().copy() if WEIGHTS.exists() else np.ones((len(SIGNS), 2), np.float32)
        rows = np.array([s for signs in self.signs for s in signs])
        for k in only:
            own = rows[rows[:, 0] == k]
            if len(own):
                out[k] = np.median(own[:, 3:], axis=0)
        return out


def _signs(labels: dict[str, Any]) -> list[tuple[int, float, float, float, float]]:
    """(kind, x and y of its middle, width, height) of every sign."""
    out = []
    heads = [y1 - y0 for kind, _x0, y0, _x1, y1 in labels["symbols"] if kind in ("head_black", "head_half")]
    usual = float(np.quantile(heads, 0.7)) if heads else 1.0
    for kind, x0, y0, x1, y1 in labels["symbols"]:
        if kind in COMPOSED:
            text = COMPOSED[kind]
            share = {"m": 1.5, "s": 0.8, "z": 0.9, "r": 0.9}
            widths = [share.get(c, 1.2) for c in text]
            at = x0
            for letter, width in zip(text, widths, strict=True):
                wide = (x1 - x0) * width / sum(widths)
                out.append((SIGN_AT[f"dynamic_{letter}"], at + wide / 2, (y0 + y1) / 2, wide, y1 - y0))
                at += wide
            continue
        kind = SAME.get(kind, kind)
        if kind in ("head_black", "head_half") and y1 - y0 < VERY_SMALL * usual:
            kind = "small_head"
        if kind in SIGN_AT:
            out.append((SIGN_AT[kind], (x0 + x1) / 2, (y0 + y1) / 2, x1 - x0, y1 - y0))
    for text, x0, y0, x1, y1 in labels["words"]:
        for k, letter in enumerate(text):
            if letter in "0123456789" and len(text) < 6:
                wide = (x1 - x0) / len(text)
                out.append((SIGN_AT[f"letter_{letter}"], x0 + wide * (k + 0.5), (y0 + y1) / 2, wide, y1 - y0))
    return out


def _lines(labels: dict[str, Any]) -> list[tuple[int, np.ndarray]]:
    """(kind, its points (n, 2)) of every line."""
    out = [(LINE_AT[kind], np.array([[x0, y0], [x1, y1]])) for kind, x0, y0, x1, y1 in labels["lines"]]
    t = np.linspace(0, 1, 13)[:, None]
    for x0, y0, x1, y1, middle in labels["curves"]:
        bend = np.array([(x0 + x1) / 2, 2 * middle - (y0 + y1) / 2])
        points = (1 - t) ** 2 * [x0, y0] + 2 * t * (1 - t) * bend + t**2 * [x1, y1]
        out.append((LINE_AT["curve"], points))
    for _text, x0, y0, x1, y1 in labels["words"]:
        out.append((LINE_AT["word"], np.array([[x0, (y0 + y1) / 2], [x1, (y0 + y1) / 2]])))
    return out


class Spoiler:
    """Takes pieces of the strips and spoils them, what is on them moved along."""

    def __init__(
        self, strips: Strips, seed: int, sought: float = 0.0, only: Collection[int] = range(len(SIGNS))
    ) -> None:
        self.strips, self.rng, self.sought = strips, np.random.default_rng(seed), sought
        self.places = strips.places(only)

    def piece(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(picture, signs wanted, lines wanted)."""
        rng = self.rng
        k, sought = int(rng.integers(len(self.strips.pictures))), None
        if rng.random() < self.sought:  # else rare signs are hardly ever seen
            every = self.places[int(rng.integers(len(self.places)))]
            k, sought = every[int(rng.integers(len(every)))]
        held = self.strips.pictures[k]
        high, wide = 2 * REACH * PIXELS, WIDE * PIXELS
        across, down = np.exp(rng.normal(0, 0.05)), np.exp(rng.normal(0, 0.025))
        longest = held.shape[1] / HELD
        begin = rng.uniform(-2, max(longest - 0.6 * WIDE, 0))
        if sought is not None:
            begin = sought - rng.uniform(3, WIDE - 3)
        shift = rng.normal(0, 0.08)
        lean = rng.normal(0, 0.004)
        bend, length, phase = abs(rng.normal(0, 0.08)), rng.uniform(20, 80), rng.uniform(0, 2 * math.pi)
        shear = rng.normal(0, 0.015)

        def moved(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            """Spaces of the strip → spaces of the piece, its left edge and middle 0."""
            u = (x - begin) * across
            return u + shear * y, y * down + shift + lean * (u - WIDE / 2) + bend * np.sin(
                u / length * 6.28 + phase
            )

        ys, xs = np.mgrid[0:high, 0:wide]
        v, u = (ys + 0.5) / PIXELS - REACH, (xs + 0.5) / PIXELS
        u = u - shear * v
        y = (v - shift - lean * (u - WIDE / 2) - bend * np.sin(u / length * 6.28 + phase)) / down
        x = u / across + begin
        if rng.random() < 0.8:  # every font has its own hand: signs drawn out and pressed together
            by = rng.uniform(0.02, 0.11)
            x = x + by * self.wavy(x.shape)
            y = y + by * self.wavy(x.shape)
        left = int(max(0, (begin - 1) * HELD))
        part = held[:, left : int((begin + (WIDE + 3) / across + 1) * HELD)].astype(np.float32) / 255
        part = self.printed(part)
        picture = ndimage.map_coordinates(
            part, [(y + HELD_REACH) * HELD - 0.5, x * HELD - 0.5 - left], order=1, mode="constant"
        )
        picture = self.scanned(picture.astype(np.float32))
        signs = np.zeros((len(SIGNS), high // CELL, wide // CELL), np.float32)
        for kind, sx, sy, _wide, _high in self.strips.signs[k]:
            if not begin - 2 < sx < begin + WIDE * 1.3 or abs(sy) > REACH + 2:
                continue
            cx, cy = moved(np.float64(sx), np.float64(sy))
            self._mark(signs[kind], cx * PIXELS / CELL - 0.5, cy * PIXELS / CELL + REACH * PIXELS / CELL - 0.5,
                       1.1 if SIGNS[kind] in LARGE else 0.75)  # fmt: skip
        lines = np.zeros((len(LINES), high // CELL, wide // CELL), np.float32)
        dense: list[list[np.ndarray]] = [[] for _kind in LINES]
        for kind, points in self.strips.lines[k]:
            if points[:, 0].max() < begin - 2 or points[:, 0].min() > begin + WIDE * 1.3:
                continue
            if points[:, 1].min() > REACH + 2 or points[:, 1].max() < -REACH - 2:
                continue
            count = max(2, int(10 * np.abs(np.diff(points, axis=0)).sum()))
            t = np.linspace(0, len(points) - 1, count)
            at = np.arange(len(points))
            dense[kind].append(np.stack([np.interp(t, at, points[:, 0]), np.interp(t, at, points[:, 1])]))
        for kind, pieces in enumerate(dense):
            if pieces:
                px, py = moved(*np.concatenate(pieces, axis=1))
                self._draw(lines[kind], px * PIXELS / CELL - 0.5, (py + REACH) * PIXELS / CELL - 0.5)
        return picture, signs, lines

    def wavy(self, shape: tuple[int, ...]) -> np.ndarray:
        """A soft field around 0 whose hills are about a space wide."""
        coarse = self.rng.normal(0, 1, [n // PIXELS + 3 for n in shape])
        return ndimage.zoom(coarse, PIXELS, order=1)[: shape[0], : shape[1]]

    def printed(self, ink: np.ndarray) -> np.ndarray:
        """Thicker or thinner ink, with breaks and blots."""
        rng = self.rng
        if rng.random() < 0.6:
            soft = ndimage.gaussian_filter(ink, rng.uniform(0.3, 0.9))
            at = rng.uniform(0.12, 0.45)
            if rng.random() < 0.4:
                small = rng.normal(0, 0.5, (ink.shape[0] // 24 + 2, ink.shape[1] // 24 + 2))
                at = at + 0.12 * ndimage.zoom(small, 24, order=1)[: ink.shape[0], : ink.shape[1]]
            ink = 1 / (1 + np.exp(-(soft - at) * rng.uniform(8, 30)))
        return ink

    def scanned(self, picture: np.ndarray) -> np.ndarray:
        """Blurred, coarse, grainy, shaded, squeezed into few bits; ink near 1 and paper near 0 again."""
        rng = self.rng
        picture = ndimage.gaussian_filter(picture, [rng.uniform(0.1, 0.8), rng.uniform(0.1, 0.8)])
        if rng.random() < 0.35:  # fewer dots an inch than a space needs
            factor = rng.uniform(0.6, 0.95)
            small = ndimage.zoom(picture, factor, order=1)
            picture = ndimage.zoom(
                small, [picture.shape[0] / small.shape[0], picture.shape[1] / small.shape[1]], order=1
            )
        if rng.random() < 0.5:
            grain = rng.normal(0, 1, picture.shape)
            if rng.random() < 0.5:
                grain = ndimage.gaussian_filter(grain, 0.8) * 2
            picture = picture + rng.uniform(0.01, 0.12) * grain
        if rng.random() < 0.2:  # specks and holes
            at = rng.random(picture.shape)
            picture = np.where(at < 0.003, 1 - picture, picture)
        if rng.random() < 0.3:  # black and white
            picture = 1 / (1 + np.exp(-(picture - rng.uniform(0.2, 0.5)) * 25))
        shade = rng.normal(0, 0.05) + rng.normal(0, 0.04) * np.linspace(-1, 1, picture.shape[1])[None]
        picture = picture * rng.uniform(0.7, 1.1) + shade
        if rng.random() < 0.3:
            held = io.BytesIO()
            grey = np.clip(255 - 255 * picture, 0, 255).astype(np.uint8)
            Image.fromarray(grey).save(held, "JPEG", quality=int(rng.integers(25, 80)))
            picture = 1 - np.asarray(Image.open(held), np.float32) / 255
        return np.clip(picture, -0.2, 1.2).astype(np.float32)

    @staticmethod
    def _mark(field: np.ndarray, x: float, y: float, width: float) -> None:
        i, j = round(y), round(x)
        if not (-2 <= i < field.shape[0] + 2 and -2 <= j < field.shape[1] + 2):
            return
        i0, i1, j0, j1 = max(0, i - 3), min(field.shape[0], i + 4), max(0, j - 3), min(field.shape[1], j + 4)
        if i0 >= i1 or j0 >= j1:
            return
        ys, xs = np.mgrid[i0:i1, j0:j1]
        soft = np.exp(-((ys - y) ** 2 + (xs - x) ** 2) / (2 * width**2))
        if i0 <= i < i1 and j0 <= j < j1:
            soft[i - i0, j - j0] = 1.0
        field[i0:i1, j0:j1] = np.maximum(field[i0:i1, j0:j1], soft)

    @staticmethod
    def _draw(field: np.ndarray, x: np.ndarray, y: np.ndarray) -> None:
        # each point shared out among the cells around it
        for di in (0, 1):
            for dj in (0, 1):
                i, j = np.floor(y).astype(int) + di, np.floor(x).astype(int) + dj
                near = (1 - np.abs(y - i)) * (1 - np.abs(x - j)) ** 0.5
                ok = (i >= 0) & (i < field.shape[0]) & (j >= 0) & (j < field.shape[1])
                np.maximum.at(field, (i[ok], j[ok]), np.clip(near[ok] * 1.3, 0, 1).astype(np.float32))


class Pieces(torch.utils.data.IterableDataset):
    def __init__(self, strips: Strips, seed: int, sought: float, only: Collection[int]) -> None:
        self.strips, self.seed, self.sought, self.only = strips, seed, sought, only

    def __iter__(self) -> Any:
        info = torch.utils.data.get_worker_info()
        spoiler = Spoiler(self.strips, self.seed + 1000 * (info.id if info else 0), self.sought, self.only)
        while True:
            yield spoiler.piece()


def loss_of(
    out: torch.Tensor, signs: torch.Tensor, lines: torch.Tensor, only: Collection[int]
) -> tuple[torch.Tensor, torch.Tensor]:
    """(of some signs, of the lines)."""
    if len(only) < len(SIGNS):
        out, signs = torch.cat([out[:, list(only)], out[:, len(SIGNS) :]], 1), signs[:, list(only)]
    count = signs.shape[1]
    # where nothing is and nothing is seen, nothing is to be learnt: most of the cells
    some = (signs > 0.003) | (out[:, :count] > NOTHING)
    seen, wanted = out[:, :count][some], signs[some]
    p = torch.sigmoid(seen)
    hit = wanted > 0.999
    yes = -functional.logsigmoid(seen) * (1 - p) ** 2 * hit
    no = -functional.logsigmoid(-seen) * p**2 * (1 - wanted) ** 4 * ~hit
    of_signs = (yes.sum() + no.sum()) / hit.sum().clamp(min=1)
    along = out[:, count:]
    weight = 1 + 6 * lines
    of_lines = functional.binary_cross_entropy_with_logits(along, lines, weight, reduction="sum")
    return of_signs, of_lines / (lines > 0.4).sum().clamp(min=1)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--minutes", type=float, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--go-on", type=Path, help="from a reader.pt of a run before")
    parser.add_argument("--from-shipped", action="store_true", help="from the weights that ship")
    parser.add_argument("--rate", type=float, default=3e-3)
    parser.add_argument(
        "--sought", type=float, default=0.0, help="share of pieces that show each kind of sign as often"
    )
    parser.add_argument(
        "--rare", action="store_true", help="teach the rare signs alone; all else stays as it ships"
    )
    parser.add_argument("--threads", type=int, default=2)
    options = parser.parse_args()
    torch.manual_seed(options.seed)
    torch.set_num_threads(options.threads)
    strips, back = Strips(options.folder, "learnt"), Strips(options.folder, "kept back")
    print(len(strips.pictures), "staves,", len(back.pictures), "kept back", flush=True)
    reader = Reader().to(memory_format=torch.channels_last)
    if options.go_on:
        reader.load_state_dict(torch.load(options.go_on))
    if options.from_shipped or options.rare:
        reader.unfold()
    only: Collection[int] = RARE_AT if options.rare else range(len(SIGNS))
    if options.rare:
        reader.requires_grad_(False)
        reader.rare1.requires_grad_(True)
        reader.rare2.requires_grad_(True)
    taught = [weight for weight in reader.parameters() if weight.requires_grad]
    best = torch.optim.AdamW(taught, lr=options.rate, weight_decay=1e-4)
    loader = iter(
        torch.utils.data.DataLoader(
            Pieces(strips, options.seed, options.sought, only), BATCH, num_workers=1, prefetch_factor=6
        )
    )
    spoiler = Spoiler(back, 7, options.sought, only)
    held = [tuple(map(torch.as_tensor, spoiler.piece())) for _ in range(48)]
    began, step, mean = time.monotonic(), 0, np.zeros(2)
    told = began
    while (gone := (time.monotonic() - began) / 60 / options.minutes) < 1:
        rate = options.rate * min(1, step / 100 + 0.01) * (0.5 + 0.5 * math.cos(math.pi * gone))
        for group in best.param_groups:
            group["lr"] = rate
        picture, signs, lines = next(loader)
        out = reader(picture[:, None].contiguous(memory_format=torch.channels_last))
        of_signs, of_lines = loss_of(out, signs, lines, only)
        best.zero_grad()
        (of_signs + of_lines).backward()
        nn.utils.clip_grad_norm_(reader.parameters(), 10.0)
        best.step()
        step += 1
        mean = 0.98 * mean + 0.02 * np.array([of_signs.item(), of_lines.item()])
        if time.monotonic() - told > 180:
            told = time.monotonic()
            reader.eval()
            with torch.no_grad():
                rows = [
                    loss_of(reader(torch.stack([p for p, _s, _l in held[k : k + 12]])[:, None]),
                            torch.stack([s for _p, s, _l in held[k : k + 12]]),
                            torch.stack([along for _p, _s, along in held[k : k + 12]]), only)
                    for k in range(0, len(held), 12)
                ]  # fmt: skip
            reader.train()
            kept = np.mean([[float(v) for v in row] for row in rows], axis=0)
            print(
                f"{(told - began) / 60:5.1f} min, step {step}: learnt {mean.round(3)}, kept back {kept.round(3)}",
                flush=True,
            )
            torch.save(reader.state_dict(), options.folder / "reader.pt")
            _keep(reader, strips, only)
    _keep(reader, strips, only)
    torch.save(reader.state_dict(), options.folder / "reader.pt")
    print(f"{step} steps, {WEIGHTS.stat().st_size / 1024:.0f} KB")


def _keep(reader: Reader, strips: Strips, only: Collection[int]) -> None:
    kept = {name: value.astype(np.float16) for name, value in reader.folded().items()}
    np.savez_compressed(WEIGHTS, sizes=strips.sizes(only), **kept)


if __name__ == "__main__":
    main()
