"""GeoTIFFs by general packages of another language: writes those that our reader has to understand, reads those that we write.

    other_rasters.py write FOLDER     a file for each kind of number, compression, order and cut
    other_rasters.py check FILE       whether the heights and tags of a file are those that are expected
"""
import sys

import numpy
import tifffile
from PIL import Image

COLUMNS, ROWS = 300, 200
# Key, where its value is, how many, value: points, a geographic system, of which the code is 4269.
KEYS = (1, 1, 0, 3, 1024, 0, 1, 2, 1025, 0, 1, 1, 2048, 0, 1, 4269)
NO_DATA = 99


def heights(dtype):
    """Small whole numbers, which every kind of number holds."""
    rows, columns = numpy.mgrid[0:ROWS, 0:COLUMNS]
    return ((columns * 7 + rows * 3) % 100).astype(dtype)


def write(folder):
    tags = [
        (33550, "d", 3, (0.5, 0.25, 0.0), True),
        (33922, "d", 6, (0.0, 0.0, 0.0, -124.0, 46.5, 0.0), True),
        (34735, "H", len(KEYS), KEYS, True),
        (42113, "s", 0, str(NO_DATA), True),
    ]
    number = 0
    for dtype in ("u1", "i1", "u2", "i2", "u4", "i4", "u8", "i8", "f4", "f8"):
        for order in "<>":
            for compression, predictor in (
                (None, None),
                ("adobe_deflate", None),
                ("adobe_deflate", True),
                ("lzw", None),
                ("lzw", True),
                ("packbits", None),
            ):
                if predictor and dtype in ("u8", "i8"):
                    continue
                for tile in (None, (64, 128)):
                    name = f"{folder}/{number:03}-{dtype}-{order == '<'}-{compression}-{predictor}-{tile is None}.tif"
                    tifffile.imwrite(
                        name,
                        heights(dtype),
                        byteorder=order,
                        bigtiff=number % 3 == 0,
                        compression=compression,
                        predictor=predictor,
                        tile=tile,
                        rowsperstrip=None if tile else 17,
                        photometric="minisblack",
                        metadata=None,
                        extratags=tags,
                    )
                    number += 1
    print(number)


def check(path):
    expected = heights("f4")
    rows, columns = numpy.mgrid[0:ROWS, 0:COLUMNS]
    expected[(columns + rows) % 13 == 5] = numpy.nan
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        by_one = page.asarray()
        tags = {tag.code: tag.value for tag in page.tags}
    by_other = numpy.asarray(Image.open(path))
    for what, found in (("tifffile", by_one), ("Pillow", by_other)):
        if found.shape != expected.shape or not numpy.array_equal(found, expected, equal_nan=True):
            sys.exit(f"{path}: {what} reads other heights")
    place = (tags[33550], tags[33922])
    if place != ((0.5, 0.25, 0.0), (0.0, 0.0, 0.0, -124.0, 46.5, 0.0)):
        sys.exit(f"{path}: stands at {place}")
    keys = numpy.reshape(tags[34735][4:], (-1, 4)).tolist()
    if [2048, 0, 1, 4269] not in keys or keys != sorted(keys):
        sys.exit(f"{path}: its keys are {keys}")
    print("same")


{"write": write, "check": check}[sys.argv[1]](sys.argv[2])
