"""Text in a picture, read by Tesseract, a program of its own (Debian: tesseract-ocr)."""

from __future__ import annotations

import os
import shutil
import subprocess

_LONGEST_S = 30.0


def text_in(picture: bytes) -> str:
    """What is printed in a PNG, JPEG or WebP picture, a line each; "" for nothing it can read. Raises ValueError for what is
    no picture, takes too long, or where the program is not there."""
    program = shutil.which("tesseract")
    if program is None:
        raise ValueError("a picture is read by Tesseract, which is not on this machine (Debian: tesseract-ocr)")
    try:
        done = subprocess.run(
            [program, "stdin", "stdout", "--psm", "3"],
            input=picture,
            capture_output=True,
            timeout=_LONGEST_S,
            env={**os.environ, "OMP_THREAD_LIMIT": "1"},
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise ValueError("the picture takes too long to read") from error
    if done.returncode:
        raise ValueError("the picture cannot be read")
    lines = (line.strip() for line in done.stdout.decode("utf-8", "replace").splitlines())
    return "\n".join(line for line in lines if line)
