import io
import struct
import tempfile
import unittest
import zlib
from pathlib import Path

from PIL import Image

from calm_needle.errors import FileRefused
from calm_needle.files.photographs import LONGEST_SIDE, keep, path_of, take_in


def picture(kind: str = "JPEG", size: tuple[int, int] = (64, 40), **options: object) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, (120, 90, 60)).save(out, kind, **options)
    return out.getvalue()


def png_of(width: int, height: int, data: bytes) -> bytes:
    """A PNG that says it is this large, whatever is in it."""

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(data)) + chunk(b"IEND", b"")


class TakenIn(unittest.TestCase):
    def test_what_comes_out_is_a_plain_jpeg_whatever_came_in(self) -> None:
        for kind, name in (("JPEG", "a.jpg"), ("JPEG", "A.JPEG"), ("PNG", "b.png"), ("WEBP", "c.webp")):
            taken = take_in(picture(kind), name=name)
            with Image.open(io.BytesIO(taken.jpeg)) as image:
                self.assertEqual((image.format, image.mode, image.size), ("JPEG", "RGB", (64, 40)))

    def test_metadata_does_not_come_with_it_and_it_stands_upright(self) -> None:
        exif = Image.Exif()
        exif[0x0112] = 6  # lying on its side
        exif[0x010E] = "bench of M.O."
        exif.get_ifd(0x8825)[2] = (54.0, 30.0, 0.0)
        taken = take_in(picture(exif=exif), name="a.jpg")
        self.assertEqual((taken.width, taken.height), (40, 64))
        self.assertNotIn(b"bench of", taken.jpeg)
        with Image.open(io.BytesIO(taken.jpeg)) as image:
            self.assertFalse(dict(image.getexif()))

    def test_a_large_one_is_made_smaller_and_the_same_one_has_the_same_name(self) -> None:
        one, two = (take_in(picture(size=(5000, 3000)), name="a.jpg") for _ in range(2))
        self.assertEqual(max(one.width, one.height), LONGEST_SIDE)
        self.assertEqual(one.sha256, two.sha256)

    def test_it_is_kept_whole_or_not_at_all(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            taken = take_in(picture(), name="a.jpg")
            keep(Path(name), taken)
            self.assertEqual(path_of(Path(name), taken.sha256, small=False).read_bytes(), taken.jpeg)
            self.assertEqual(len(list(Path(name).rglob("*.*"))), 2)
        for bad in ("../../etc/passwd", "a" * 63, "A" * 64):
            with self.assertRaises(ValueError):
                path_of(Path(), bad, small=False)


class Refused(unittest.TestCase):
    def refused(self, content: bytes, name: str) -> str:
        with self.assertRaises(FileRefused) as caught:
            take_in(content, name=name)
        return str(caught.exception)

    def test_each_with_a_sentence(self) -> None:
        gif = io.BytesIO()
        Image.new("P", (8, 8)).save(gif, "GIF")
        script = b"<script>alert(1)</script>"
        for what, content, name, words in (
            ("empty", b"", "a.jpg", "it is empty"),
            ("too many bytes", b"\xff\xd8\xff" + bytes(16_000_000), "a.jpg", "it has 16 MB; at most 15 are taken in"),
            ("a bomb", png_of(30_000, 30_000, bytes(90_000)), "a.png", "million pixels"),
            ("200 megapixels", png_of(20_000, 10_000, bytes(1000)), "a.png", "more than 89 million pixels"),
            ("a drawing with script", b'<svg xmlns="http://www.w3.org/2000/svg">' + script + b"</svg>", "a.svg", "not a photograph"),
            ("a drawing named as a photograph", b"<?xml version='1.0'?><svg>" + script + b"</svg>", "a.jpg", "not a photograph"),
            ("a page behind a picture", picture() + b"<html>" + script, "a.jpg", "something besides a picture"),
            ("an archive behind a picture", picture("PNG") + b"PK\x03\x04rest", "a.png", "something besides a picture"),
            ("a page in a comment", picture(comment=script), "a.jpg", "something besides a picture"),
            ("a wrong name", picture("PNG"), "a.jpg", "what is in it is PNG, and its name says otherwise"),
            ("no name", picture(), "photograph", "its name says otherwise"),
            ("another format", gif.getvalue(), "a.gif", "not a JPEG, PNG or WebP"),
            ("half a picture", picture(size=(900, 900), quality=95)[:400], "a.jpg", "damaged or not whole"),
            ("noise", bytes(range(256)) * 20, "a.jpg", "not a JPEG, PNG or WebP"),
        ):
            with self.subTest(what):
                self.assertIn(words, self.refused(content, name))

    def test_every_cut_of_a_picture_is_refused_or_taken_and_nothing_else_happens(self) -> None:
        whole = picture("PNG", (30, 30))
        for length in range(0, len(whole) - 20, 7):  # without its end mark it may still be whole
            self.assertIn("was not taken in", self.refused(whole[:length], "a.png"))
