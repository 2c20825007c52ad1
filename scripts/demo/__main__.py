"""Write the demo projects that ship with the application: `python -m scripts.demo [FOLDER [NAME ...]]`."""

import shutil
import sys
from pathlib import Path

from evenpalette.core.findings.findings import find_all
from evenpalette.core.storage.storage import Storage

from . import lantern, market, pennant, sign, tin

DEFAULT = Path(__file__).parents[2] / "src" / "evenpalette" / "core" / "storage" / "demo"


def main() -> None:
    """Build all projects anew."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else DEFAULT
    wanted = sys.argv[2:]
    for name, module in (("moth-lantern", lantern), ("pennant", pennant), ("stall-sign", sign), ("tea-tin", tin)):
        if wanted and name not in wanted:
            continue
        target = folder / name
        shutil.rmtree(target, ignore_errors=True)
        state = module.build()
        Storage(target).save(state)
        report = state.project.tone.report
        print(f"{name}: mean CIEDE2000 {report.mean:.2f}, 95th percentile {report.p95:.2f}" if report else name)
        for finding in find_all(state):
            print(f"  {finding.station}: {finding.text}")
    market.build(folder)


if __name__ == "__main__":
    main()
