"""Tests of telling the encoding of a list."""

import unittest

from gruff_ledger.lists.delimited.encoding import find_damaged_utf8, guess_encoding
from gruff_ledger.problems import UnreadableSource
from tests.support import read

# Texts of 18 languages, short ones, and the encodings they usually come in.
TEXTS = {
    "German": (
        "cp1252 iso-8859-15",
        ("Müller;Straße 5;12,50 €", "Größe;Köln;Österreich", "STRAßE;MÜLLER", "Zoë"),
    ),
    "French": (
        "cp1252 iso-8859-15",
        ("Élodie;Forêt;12,50 €", "Été à côté;reçu le 3 août;œuvre", "Côte d'Ivoire"),
    ),
    "Spanish": ("cp1252", ("Peña;Cádiz;Año;¿Cuánto?", "Muñoz;Málaga;3º")),
    "Portuguese": ("cp1252", ("São João;Açores", "Informações;não;três")),
    "Danish": ("cp1252", ("Sørensen;Århus;Færøerne", "Kjær;Øster Allé", "Ærø;Zoë")),
    "Swedish": ("cp1252", ("Malmö;Göteborg;Åsa Öberg", "Värmland;Västerås")),
    "Icelandic": ("cp1252", ("Þórður;Sigríður;Ísafjörður",)),
    "English": ("cp1252", ("£2.40", "½ pint;3 m²", "“quoted” text’s", "a – b")),
    "Polish": ("cp1250 iso-8859-2", ("Łódź;Żółć", "Gdańsk;Wójcik;Dąbrowska")),
    "Czech": ("cp1250 iso-8859-2", ("Příliš žluťoučký kůň", "Dvořák;Plzeň")),
    "Hungarian": (
        "cp1250 iso-8859-2",
        ("Győr;Székesfehérvár;hűvös", "Fő út;Őrség;hűvös"),
    ),
    "Russian": ("cp1251 koi8-r cp866", ("Иванов;Москва;улица", "Привет, мир")),
    "Greek": ("cp1253 iso-8859-7", ("Αθήνα;Οδός Ερμού", "Θεσσαλονίκη;Κρήτη")),
    "Turkish": ("cp1254", ("İstanbul;Şişli;Beyoğlu", "Yıldız;Güneş;Doğan")),
    "Lithuanian": ("cp1257", ("Kėdainiai;Žemaitė;Ąžuolas", "Jūratė;Panevėžys")),
    "Japanese": ("cp932 euc_jp", ("東京都;山田太郎;やまだ", "大阪市北区;さくら;カナ")),
    "Chinese": ("gb18030 big5", ("北京市;張三;上海", "中華人民共和國;臺北市;先生")),
    "Korean": ("euc_kr", ("서울특별시;김철수;대한민국", "부산광역시;이름;주소")),
    "Hebrew": ("cp1255", ("ירושלים;תל אביב;שלום",)),
    "Arabic": ("cp1256", ("القاهرة;محمد علي;السلام عليكم",)),
}


class GuessEncodingTest(unittest.TestCase):
    def test_gives_back_texts_of_many_languages(self) -> None:
        """In their usual encodings, a line alone and a hundred lines."""
        for language, (encodings, texts) in TEXTS.items():
            for encoding in encodings.split():
                for text in (*texts, "\n".join(texts * 40)):
                    with self.subTest(language=language, encoding=encoding, text=text):
                        data = text.encode(encoding)
                        self.assertEqual(data.decode(guess_encoding(data)), text)

    def test_signs_of_currency_at_numbers(self) -> None:
        """And letters that may stand there: a word between numbers, units."""
        for text, encodings in (
            ("x;1.234,56 €", "cp1252 iso-8859-15"),
            ("€ 12;3", "cp1252"),
            ("x;£12.50\ny;£7", "cp1252"),
            ("x;¥500", "cp1252"),
            ("5 à 6;x", "cp1252"),
            ("12 г;5 м\nмосква;x", "cp1251"),
        ):
            for encoding in encodings.split():
                with self.subTest(text=text, encoding=encoding):
                    data = text.encode(encoding)
                    self.assertEqual(data.decode(guess_encoding(data)), text)

    def test_old_encodings_are_taken_on_strong_evidence(self) -> None:
        """Of the pages of DOS and the old Mac, where many letters speak for them."""
        text = "Müller;Straße;Größe;Köln;Österreich;Jörg"
        for encoding in ("cp850", "mac-roman"):
            data = text.encode(encoding)
            self.assertEqual(data.decode(guess_encoding(data)), text)

    def test_one_bad_byte_does_not_spoil_utf_8(self) -> None:
        """Its row is named, wherever it stands, and the work stops."""
        for above in (3, 60_000):
            data = (
                b"Name,Place\n"
                + "Zoë,Köln\n".encode() * above
                + b"Ren\xe9,x\n"
                + "Jörg,y\n".encode() * 5
            )
            with self.subTest(above=above), self.assertRaises(UnreadableSource) as met:
                read(data)
            self.assertEqual(met.exception.row, above + 2)
            self.assertIn("E9", met.exception.what)
            # Whoever says the encoding has it.
            self.assertEqual(len(read(data, encoding="cp1252").table), above + 6)

    def test_other_encodings_are_not_damaged_utf_8(self) -> None:
        """A pair that is valid by accident is not enough."""
        lines = ["Müller;Straße\n".encode("cp1252")] * 10 + [b"\xc3\xa9\n"]
        self.assertIsNone(find_damaged_utf8(lines))
        self.assertIsNone(find_damaged_utf8([b"plain\n"]))


if __name__ == "__main__":
    unittest.main()
