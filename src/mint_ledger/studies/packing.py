"""Blocks of runs as bytes for a store, and back; whatever does not fit the study is refused, however it came about."""

from __future__ import annotations

import hashlib
import json
import zlib
from typing import Any

import numpy as np

from mint_ledger.engines.tally import MOMENTS, tally_size
from mint_ledger.studies.block import Block
from mint_ledger.studies.request import Prepared

HEAD = 1 << 16
PLAIN = {"<i2", "<i4", "<i8", "<f8"}


class Damaged(Exception):
    """The bytes are not those of a block of this study."""


def checksum(key: str, first: int, runs: int, content: bytes) -> bytes:
    """Return what tells a block from one that was damaged, or that belongs elsewhere."""
    return hashlib.sha256(f"{key} {first} {runs} {len(content)} ".encode() + content).digest()


def packed(block: Block) -> bytes:
    """A block as compressed bytes: a line that says which arrays there are, then the arrays one after another."""
    arrays: dict[str, Any] = {
        "ending": block.ending,
        "winner": block.winner,
        "steps": block.steps,
        "level": block.level,
        "sums": block.sums,
        "samples": block.samples,
    }
    arrays |= {f"measure {name}": values for name, values in block.measures.items()}
    plain = {name: np.ascontiguousarray(values) for name, values in arrays.items()}
    shapes = {name: [values.dtype.newbyteorder("<").str, list(values.shape)] for name, values in plain.items()}
    head = json.dumps({"first": block.first, "visited": int(block.visited), "arrays": shapes})
    bytes_ = [values.astype(values.dtype.newbyteorder("<"), copy=False).tobytes() for values in plain.values()]
    return zlib.compress(b"".join([head.encode(), b"\n", *bytes_]), 1)


def unpacked(content: bytes, prepared: Prepared, first: int, runs: int) -> Block:
    """A block from its bytes.

    Raises:
        Damaged: they are not those of this block of this study.
    """
    wanted = _shapes(prepared, runs)
    most = HEAD + sum(int(np.prod(shape)) * np.dtype(kind).itemsize for kind, shape in wanted.values())
    try:
        opened = zlib.decompressobj()
        plain = opened.decompress(content, most)
        if not opened.eof:
            raise Damaged
        head, _, rest = plain.partition(b"\n")
        told = json.loads(head)
        shapes = {str(name): (str(kind), tuple(shape)) for name, (kind, shape) in told["arrays"].items()}
        if shapes != wanted or told["first"] != first:
            raise Damaged
        arrays = {}
        at = 0
        for name, (kind, shape) in wanted.items():
            size = int(np.prod(shape)) * np.dtype(kind).itemsize
            arrays[name] = np.frombuffer(rest[at : at + size], dtype=kind).reshape(shape)
            at += size
        if at != len(rest):
            raise Damaged
        block = Block(
            first,
            arrays["ending"].astype(np.int16),
            arrays["winner"].astype(np.int32),
            arrays["steps"].astype(np.int64),
            arrays["level"].astype(np.int16),
            {name[8:]: values.astype(np.float64) for name, values in arrays.items() if name.startswith("measure ")},
            arrays["sums"].astype(np.float64),
            arrays["samples"].astype(np.float64),
            int(told["visited"]),
        )
    except (zlib.error, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Damaged from error
    _check(block, prepared)
    return block


def _shapes(prepared: Prepared, runs: int) -> dict[str, tuple[str, tuple[int, ...]]]:
    """The arrays of a block of a study: their sorts and shapes, in their order."""
    tallies = len(prepared.taking.tallied) * tally_size(prepared.lowered.program)
    shapes: dict[str, tuple[str, tuple[int, ...]]] = {
        "ending": ("<i2", (runs,)),
        "winner": ("<i4", (runs,)),
        "steps": ("<i8", (runs,)),
        "level": ("<i2", (runs,)),
        "sums": ("<f8", (tallies, MOMENTS)),
        "samples": ("<f8", (runs, len(prepared.grid), len(prepared.sampled))),
    }
    return shapes | {f"measure {measure.name}": ("<f8", (runs,)) for measure in prepared.lowered.measures}


def _check(block: Block, prepared: Prepared) -> None:
    """Refuse numbers that no run of the game can give."""
    program = prepared.lowered.program
    fits = (
        bool(((block.ending >= 0) & (block.ending <= len(program.endings))).all())
        and bool(((block.winner >= 0) & (block.winner <= program.cast.size)).all())
        and bool((block.steps >= 0).all())
        and bool(((block.level >= 0) & (block.level <= len(prepared.lowered.levels))).all())
        and block.visited >= 0
    )
    if not fits:
        raise Damaged
