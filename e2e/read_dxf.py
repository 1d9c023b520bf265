"""What an independent reader finds in a DXF: its units, walls, texts, and how many errors it mends."""

import json
import sys

import ezdxf
from ezdxf import recover

document, auditor = recover.readfile(sys.argv[1])
lines = [e for e in document.modelspace() if e.dxftype() == "LINE" and e.dxf.layer.startswith("WALL ")]
texts = [e.dxf.text for e in document.modelspace() if e.dxftype() == "TEXT"]
print(
    json.dumps(
        {
            "unit": document.header.get("$INSUNITS"),
            "errors": len(auditor.errors),
            "walls": len(lines),
            "wall_length": sum((e.dxf.end - e.dxf.start).magnitude for e in lines),
            "texts": texts,
            "reader": ezdxf.__version__,
        }
    )
)
