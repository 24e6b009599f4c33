"""`intaglio rooms`: passages by their width, and what lies behind them."""

import argparse
import json
from typing import Any

import numpy as np

from intaglio.errors import SettingRejected
from intaglio.parts.reaching import rooms_in
from intaglio.parts.reading import source_of
from intaglio.parts.taking import take_in


def rooms(args: argparse.Namespace) -> int:
    """Tell the rooms of a model, as a ball that shrinks gets into them; 0."""
    if not 0.0 < args.wide < np.inf:
        raise SettingRejected("wide", "The ball needs a size over 0.")
    model = take_in(source_of(args.part), args.unit).model
    groups, found = rooms_in(model, args.wide, _place(args.at))
    told: dict[str, Any] = {"unit": model.unit, "least": args.wide, "rooms": [], "bodies": []}
    for k in range(1, len(found.width)):
        told["rooms"].append(
            {
                "room": k,
                "width": float(found.through[k]),
                "from": int(found.before[k]),
                "at": found.at[k].tolist(),
                "reached": float(found.width[k]),
                "widest": float(found.widest[k]),
                "middle": found.middle[k].tolist(),
                "volume": None if found.open[k] else float(found.volume[k]),
                "outside": bool(found.open[k]),
            }
        )
    for k, name in enumerate(groups.name):
        wide = float(found.touched[k])
        told["bodies"].append({"name": name, "touched": wide, "room": int(found.room[k])})
    if args.json:
        print(json.dumps(told))
        return 0
    unit = model.unit
    print(f"rooms that a ball {args.wide:g} {unit} across gets into: {len(told['rooms'])}")
    for row in told["rooms"]:
        at = ", ".join(f"{x:.4g}" for x in row["at"])
        what = (
            "the space outside"
            if row["outside"]
            else f"{row['volume']:.4g} {unit}³, a ball {row['widest']:.4g} across"
        )
        print(
            f"  {row['room']}: a passage {row['width']:.4g} {unit} wide at {at} from room "
            f"{row['from']}; {what}"
        )
    print("touched by a ball of at most")
    for row in sorted(told["bodies"], key=lambda row: -float(row["touched"])):
        wide = row["touched"]
        told_wide = f"{wide:.4g} {unit}" if wide else f"less than {args.wide:g} {unit}"
        print(f"  {row['name']}: {told_wide}")
    return 0


def _place(text: str | None) -> np.ndarray[Any, np.dtype[np.float64]] | None:
    if text is None:
        return None
    try:
        at = [float(x) for x in text.split(",")]
    except ValueError:
        at = []
    if len(at) != 3 or not np.isfinite(at).all():
        raise SettingRejected("at", "A place needs three numbers: x,y,z.")
    return np.array([at])
