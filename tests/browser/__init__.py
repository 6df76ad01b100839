"""Tests that drive the real interface. Benchmarks that are run or used here are in their short form."""

import os

os.environ["KT_SHORT"] = "1"
