"""Block kernels that make the weights of rows: shares of a division's regions, rows of them, a step's own mask."""

import numpy as np

from evenpalette.core.kernels import bytes_at, floats_at, njit, words_at
from evenpalette.core.recipe.blocks import BLOCK, NONE, SOME, line, numbers, said


@njit(nogil=True, cache=True, fastmath=True)
def shares(at, start, n):  # type: ignore[no-untyped-def]
    """What the regions of a division have of each texel, see `regions/overlap.py`.

    Numbers: by what a share is multiplied, for every sum of shares in 255ths. Said: how many regions, whether they come
    in turn, then for each where its 8-bit coverage begins, where its shares go and where it is said whether it has any.
    """
    about = said(at, 0, 2)
    count, in_turn = about[0], about[1]
    each = said(at, 0, 2 + 3 * count)
    table = numbers(at, 255 * count + 1)
    total = np.empty(BLOCK, np.int32)
    for i in range(n):
        total[i] = 0
    for k in range(count):
        raw = bytes_at(each[2 + 3 * k] + start, n)
        has = _bytes_have(each[2 + 3 * k] + start, n)
        words_at(each[4 + 3 * k], 1)[0] = has
        if has != NONE and not in_turn:
            for i in range(n):
                total[i] += raw[i]
    if in_turn:
        _in_turn(each, table, total, count, start, n)
        return
    factor = np.empty(BLOCK, np.float32)
    for i in range(n):
        factor[i] = table[total[i]]
    for k in range(count):
        if words_at(each[4 + 3 * k], 1)[0] != NONE:
            raw, out = bytes_at(each[2 + 3 * k] + start, n), floats_at(each[3 + 3 * k], n)
            for i in range(n):
                out[i] = np.float32(raw[i]) * factor[i]


@njit(nogil=True, cache=True)
def _bytes_have(address, n):  # type: ignore[no-untyped-def]
    """Whether any of n bytes is not 0: NONE or SOME. Eight of them at a time."""
    wide = words_at(address, n // 8)
    some = np.int64(0)
    for i in range(wide.size):
        some |= wide[i]
    rest = bytes_at(address + 8 * wide.size, n - 8 * wide.size)
    for i in range(rest.size):
        some |= rest[i]
    return SOME if some else NONE


@njit(nogil=True, cache=True, fastmath=True)
def _in_turn(each, table, rest, count, start, n):  # type: ignore[no-untyped-def]
    """Later regions first, each what is left of 255; then times what the table has for their sum."""
    for i in range(n):
        rest[i] = 255
    for k in range(count - 1, -1, -1):
        if words_at(each[4 + 3 * k], 1)[0] != NONE:
            raw, out = bytes_at(each[2 + 3 * k] + start, n), floats_at(each[3 + 3 * k], n)
            for i in range(n):
                share = min(np.int32(raw[i]), rest[i])
                rest[i] -= share
                out[i] = np.float32(share)
    for k in range(count):
        if words_at(each[4 + 3 * k], 1)[0] != NONE:
            out = floats_at(each[3 + 3 * k], n)
            for i in range(n):
                out[i] *= table[255 - rest[i]]


@njit(nogil=True, cache=True, fastmath=True)
def row_weights(at, start, n):  # type: ignore[no-untyped-def]
    """Rows from shares, their sum at most 1 before the amounts.

    Numbers: each row's amount. Said: how many rows, which of them is everywhere else (-1 for none), then for each where
    its weights go, where it is said whether it has any, and how many regions are its own; of the row everywhere else
    these are all that any row names. Behind them for each of these regions where its shares lie, and where it is said
    whether it has any.
    """
    about = said(at, 0, 2)
    count, rest = about[0], about[1]
    rows = said(at, 0, 2 + 3 * count)
    amounts = numbers(at, count)
    named = 0
    for k in range(count):
        named += rows[4 + 3 * k]
    regions = said(at, 0, 2 + 3 * count + 2 * named)
    one, total = np.float32(1), np.empty(BLOCK, np.float32)
    for i in range(n):
        total[i] = 0
    place = 2 + 3 * count
    for k in range(count):
        out = floats_at(rows[2 + 3 * k], n)
        first = one if k == rest else np.float32(0)
        sign = -one if k == rest else one
        for i in range(n):
            out[i] = first
        for _ in range(rows[4 + 3 * k]):
            if words_at(regions[place + 1], 1)[0] != NONE:
                share = floats_at(regions[place], n)
                for i in range(n):
                    out[i] += sign * share[i]
            place += 2
        amount = amounts[k]
        for i in range(n):
            out[i] = min(max(out[i], np.float32(0)), one) * amount
        for i in range(n):
            total[i] += out[i]
    for i in range(n):
        total[i] = one / max(total[i], one)
    for k in range(count):
        out = floats_at(rows[2 + 3 * k], n)
        for i in range(n):
            out[i] *= total[i]
        words_at(rows[3 + 3 * k], 1)[0] = _how_much(out)


@njit(nogil=True, cache=True, fastmath=True)
def _how_much(weight):  # type: ignore[no-untyped-def]
    # No weight is below 0.
    total = np.float32(0)
    for i in range(weight.size):
        total += weight[i]
    return SOME if total > 0 else NONE


@njit(nogil=True, cache=True, fastmath=True)
def masked(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: a step's own mask, the weight of a row, and where their product goes. Said: where it is said whether the
    row has any, and where whether there is any of it under the mask."""
    there = said(at, 3, 2)
    if words_at(there[0], 1)[0] == NONE:
        words_at(there[1], 1)[0] = NONE
        return
    own, weight, out = line(at, 0, start, n), line(at, 1, start, n), line(at, 2, start, n)
    for i in range(n):
        out[i] = own[i] * weight[i]
    words_at(there[1], 1)[0] = _how_much(out)
