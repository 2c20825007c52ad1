"""Which processes run: for what they leave behind when they are gone."""

from pathlib import Path


def process_start(pid: int) -> str:
    """When a process started, as the kernel counts; '' when there is no such process. Tells apart reused numbers."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return ""
