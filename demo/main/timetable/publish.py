"""Puts the timetable onto the boards at the quays."""

import json
import subprocess
import time

BOARDS = ["north-quay", "south-quay", "market-pier"]


def publish(sailings, folder):
    for board in BOARDS:
        write(sailings, board, folder)
        send(board, folder)


def write(sailings, board, folder):
    rows = [{"to": s.to, "departs": s.departs.isoformat()} for s in sailings if s.port == board]
    with open(f"{folder}/{board}.json", "w") as out:
        json.dump(rows, out)


def send(board, folder):
    subprocess.run(["rsync", f"{folder}/{board}.json", f"{board}:/srv/board/"])
    time.sleep(2)


def clear(board):
    try:
        subprocess.run(["ssh", board, "rm /srv/board/*"], check=True)
    except Exception:
        pass
