"""Reads the timetable that the harbour office sends."""

import csv
from dataclasses import dataclass
from datetime import datetime


@dataclass
class Sailing:
    port: str
    to: str
    departs: datetime


def load(path):
    # FIXME: winter times are still missing
    with open(path, newline="") as rows:
        return [parse(row) for row in csv.DictReader(rows)]


def parse(row):
    return Sailing(row["port"], row["to"], datetime.fromisoformat(row["departs"]))


def select(sailings, port, to, first, last):
    """The sailings of one line between two times."""
    fits = [s for s in sailings if s.port == port and s.to == to]
    return [s for s in fits if first <= s.departs <= last]


def age_in_days(sailing):
    return (datetime.now() - sailing.departs).days
