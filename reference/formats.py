"""Reads the files in crates/formats/tests/written with independent readers and writes what they hold to read.json there.

Needs pyarrow and comtrade from the Python registry: pip install pyarrow comtrade
"""

import json
import re
import warnings
from importlib.metadata import version
from pathlib import Path

import comtrade
import pyarrow.csv
import pyarrow.ipc
import pyarrow.parquet

FOLDER = Path(__file__).parent.parent / "crates/formats/tests/written"


def columns(table):
    return {name: table.column(name).to_pylist() for name in table.column_names}


def metadata(table):
    return [field.metadata[b"unit"].decode() for field in table.schema]


def text():
    table = pyarrow.csv.read_csv(FOLDER / "traces.csv")
    heads = [re.fullmatch(r"(.*) \[(.*)\]", head).groups() for head in table.column_names]
    values = columns(table.rename_columns([name for name, _ in heads]))
    return {"columns": values, "units": [unit for _, unit in heads]}


def arrow():
    table = pyarrow.ipc.open_file(FOLDER / "traces.arrow").read_all()
    return {"columns": columns(table), "units": metadata(table)}


def parquet():
    table = pyarrow.parquet.read_table(FOLDER / "traces.parquet")
    return {"columns": columns(table), "units": metadata(table)}


def record():
    warnings.simplefilter("ignore")
    read = comtrade.Comtrade(use_double_precision=True)
    read.load(str(FOLDER / "traces.cff"))
    values = {"t": list(read.time)}
    values |= dict(zip(read.analog_channel_ids, map(list, read.analog)))
    return {"columns": values, "units": ["s"] + [c.uu for c in read.cfg.analog_channels]}


files = {"traces.csv": text(), "traces.arrow": arrow(), "traces.parquet": parquet(), "traces.cff": record()}
versions = {name: version(name) for name in ["pyarrow", "comtrade"]}
FOLDER.joinpath("read.json").write_text(json.dumps({"versions": versions, "files": files}, indent=1) + "\n")
