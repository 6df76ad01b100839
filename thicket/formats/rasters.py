"""Opening rasters with GDAL: always by one named driver, never anything beside the file, never over the
network."""

from __future__ import annotations

import os
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal

OPTIONS = {
    "GDAL_DISABLE_READDIR_ON_OPEN": "EMPTY_DIR",  # no .ovr, .msk, .aux.xml or world file beside it
    "GDAL_PAM_ENABLED": "NO",
    "GDAL_SKIP": "VRT,GTI,WMS,WCS,WMTS,WFS,HTTP,STACIT,STACTA,PLMOSAIC,OGCAPI,EEDAI,DAAS,NGW,ZARR,DERIVED",
    "CPL_VSIL_CURL_ALLOWED_FILENAME": "none",
    "GDAL_HTTP_MAX_RETRY": "0",
}
"""Options of the library for this whole process; drivers that read other files or addresses are not
registered."""
os.environ.update(OPTIONS)

import rasterio  # noqa: E402  (it reads the options above when it is first used)
from rasterio.errors import NotGeoreferencedWarning  # noqa: E402


@contextmanager
def open_raster(path: Path, driver: Literal["GTiff", "PNG"]) -> Iterator[rasterio.DatasetReader]:
    """A raster file, read by this driver alone.

    Raises: RasterioError when the file is not of that kind, or damaged.
    """
    with warnings.catch_warnings(), rasterio.Env(**OPTIONS):
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with rasterio.open(Path(path).absolute(), driver=driver) as file:
            yield file
