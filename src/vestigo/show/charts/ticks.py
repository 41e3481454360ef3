"""Round sizes at which an axis in bytes is marked. The script of the page with knobs does the same (`roundSizes`)."""

import numpy as np

from vestigo.units import SIZES, best_unit


def round_sizes(least: float, most: float) -> list[float]:
    """Round sizes from `least` to `most` and a little beyond: powers of two, or equal steps where these are too far
    apart.

    >>> round_sizes(1024, 65536), [one / 2**20 for one in round_sizes(5.1 * 2**20, 5.6 * 2**20)]
    ([1024.0, 2048.0, 4096.0, 8192.0, 16384.0, 32768.0, 65536.0, 131072.0], [5.0, 5.2, 5.4, 5.6])
    """
    least, most = max(least, 1), max(most, 2)
    octaves = float(np.log2(most / least))
    if octaves >= 1:
        powers = 2.0 ** np.arange(np.floor(np.log2(least)), np.ceil(np.log2(most)) + 2, max(round(octaves / 6), 1))
        return sorted(map(float, [*powers, *(1.5 * powers)] if octaves < 2 else powers))
    unit, _ = best_unit(most, SIZES)
    apart = max(most - least, most / 20) / unit / 3
    magnitude = 10.0 ** np.floor(np.log10(apart))
    step = max(next(one for one in (1, 2, 5, 10) if one * magnitude >= apart * 0.7) * magnitude, 1 / unit)
    first = np.floor(least / unit / step)
    return [float(np.round((first + one) * step, 12)) * unit for one in range(int(most / unit / step - first) + 2)]


def size_label(size: float) -> str:
    """A size beside its tick.

    >>> size_label(1536 * 2**10)
    '1.5 MiB'
    """
    amount, unit = best_unit(size, SIZES)
    return f"{size / amount:.6g} {unit}"
