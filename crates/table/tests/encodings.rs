//! Text in whatever encoding it arrives in.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use encoding_rs::{
    Encoding, ISO_2022_JP, ISO_8859_2, ISO_8859_7, ISO_8859_13, ISO_8859_15, KOI8_R, MACINTOSH, SHIFT_JIS, UTF_8,
    UTF_16BE, UTF_16LE, WINDOWS_1250, WINDOWS_1251, WINDOWS_1252, WINDOWS_1253, WINDOWS_1254, WINDOWS_1257,
};
use pebblebank_table::charset::Charset;
use pebblebank_table::encoding::{
    BadBytesAre, Decoding, Knowledge, decode_mixed_sample, decode_sample, encoding_named, recognise_encoding,
    unreadable,
};
use proptest::prelude::*;
use rstest::rstest;
use std::io::Read;
use std::path::Path;

/// The text in an encoding; none where it has no such letters.
fn encoded(text: &str, encoding: &'static Encoding) -> Option<Vec<u8>> {
    let units = |to_bytes: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(to_bytes).collect();
    if encoding == UTF_16LE {
        return Some(units(u16::to_le_bytes));
    }
    if encoding == UTF_16BE {
        return Some(units(u16::to_be_bytes));
    }
    let (bytes, _, has_misfits) = encoding.encode(text);
    (!has_misfits).then(|| bytes.into_owned())
}

fn decoded(bytes: &[u8], encoding: &'static Encoding) -> std::io::Result<String> {
    let mut text = String::new();
    Decoding::new(bytes, encoding.into(), BadBytesAre::Errors, false).read_to_string(&mut text)?;
    Ok(text)
}

#[rstest]
#[case::ascii("email,name\nida@post.example,Ida\n", UTF_8, Knowledge::Certain)]
#[case::utf_8("name\nSøren\n", UTF_8, Knowledge::Certain)]
#[case::utf_16_by_its_zeros("email,name\nida@post.example,Søren\n", UTF_16LE, Knowledge::Certain)]
#[case::utf_16_the_other_way("email,name\nida@post.example,Søren\n", UTF_16BE, Knowledge::Certain)]
#[case::western("Name;Ort\nJürgen Müller;Köln\nChloé Lefèvre;Saint-Étienne\n", WINDOWS_1252, Knowledge::Guessed)]
#[case::central_european(
    "Jméno;Město\nJiří Nováček;Plzeň\nŁukasz Łapiński;Łódź\nBožena Dvořáková;Děčín\n",
    WINDOWS_1250,
    Knowledge::Guessed
)]
#[case::cyrillic("Имя;Город\nИрина Петрова;Москва\nОльга Иванова;Казань\n", WINDOWS_1251, Knowledge::Guessed)]
#[case::japanese("名前,市\n田中花子,東京都\n佐藤健二,大阪市\n", SHIFT_JIS, Knowledge::Guessed)]
fn the_encoding_is_recognised(#[case] text: &str, #[case] encoding: &'static Encoding, #[case] knowledge: Knowledge) {
    let bytes = encoded(text, encoding).unwrap();
    assert_eq!(recognise_encoding(&bytes, true), (encoding.into(), knowledge));
    assert_eq!(String::from_utf8(decode_sample(&bytes, encoding.into(), true)).unwrap(), text);
}

/// The letters of a file are mostly of one language, which tells encodings apart that have a letter for each byte.
#[rstest]
#[case::czech("Email;Jméno;Město\nida@post.example;Jiří;Plzeň\nbo@post.example;Šárka;České Budějovice\nw@post.example;Tomáš;Třebíč\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::slovak("Email;Meno;Mesto\nida@post.example;Ľubica;Košice\nbo@post.example;Vŕba;Žilina\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::hungarian("Email;Név;Város\nida@post.example;Szőke Bálint;Győr\nbo@post.example;Tóth Erzsébet;Pécs\nw@post.example;Nagy Ödön;Üröm\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::polish("Email;Imię;Miasto\nida@post.example;Łukasz;Łódź\nbo@post.example;Małgorzata;Kraków\nw@post.example;Żaneta;Gdańsk\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::slovene("Email;Ime;Mesto\nida@post.example;Žiga;Črnomelj\nbo@post.example;Špela;Škofja Loka\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::romanian("Email;Nume;Oraş\nida@post.example;Ştefan;Iaşi\nbo@post.example;Ţepeş;Braşov\n", &[WINDOWS_1250, ISO_8859_2])]
#[case::italian("Email;Nome;Città\nida@post.example;Nicolò;Forlì\nbo@post.example;Zoé;Cantù\n", &[WINDOWS_1252, MACINTOSH])]
#[case::french("Courriel;Prénom;Ville\nida@post.example;Élodie;Orléans\nbo@post.example;François;Nîmes\n", &[WINDOWS_1252, MACINTOSH])]
#[case::german("E-Mail;Vorname;Ort\nida@post.example;Jürgen;Köln\nbo@post.example;Müßig;Fürth\n", &[WINDOWS_1252, MACINTOSH])]
#[case::spanish("Correo;Nombre;Ciudad\nida@post.example;Begoña;Cádiz\nbo@post.example;Íñigo;Logroño\n", &[WINDOWS_1252, MACINTOSH])]
#[case::portuguese("Email;Nome;Cidade\nida@post.example;João;São Paulo\nbo@post.example;Inês;Évora\nw@post.example;Conceição;Olhão\n", &[WINDOWS_1252, MACINTOSH])]
#[case::norwegian("E-post;Navn;By\nida@post.example;Åse;Tromsø\nbo@post.example;Bjørn;Ålesund\n", &[WINDOWS_1252, MACINTOSH])]
#[case::turkish("E-posta;Ad;Şehir\nida@post.example;Ayşe;İstanbul\nbo@post.example;Çağlar;Eskişehir\nw@post.example;Gülşah;Muğla\n", &[WINDOWS_1254])]
#[case::lithuanian("Email;Vardas;Miestas\nida@post.example;Žydrūnas;Šiauliai\nbo@post.example;Eglė;Panevėžys\n", &[WINDOWS_1257, ISO_8859_13])]
#[case::greek("Email;Όνομα;Πόλη\nida@post.example;Γιώργος;Αθήνα\nbo@post.example;Ελένη;Πάτρα\n", &[WINDOWS_1253, ISO_8859_7])]
#[case::pounds("Email,Price\nida@post.example,€ 12\nbo@post.example,£ 9\n", &[WINDOWS_1252])]
#[case::one_letter("Email,Name\nida@post.example,Øystein\nbo@post.example,Bo\n", &[WINDOWS_1252])]
#[case::japanese_in_seven_bits("Email,名前\nida@post.example,山田花子\n", &[ISO_2022_JP])]
fn a_text_of_a_language_is_read_in_each_of_its_encodings(#[case] text: &str, #[case] encodings: &[&'static Encoding]) {
    for encoding in encodings {
        let bytes = encoded(text, encoding).unwrap();
        let (found, _) = recognise_encoding(&bytes, true);
        let read = String::from_utf8(decode_sample(&bytes, found, true)).unwrap();
        assert_eq!(read, text, "{} was taken for {}", encoding.name(), found.name());
    }
}

#[test]
fn a_byte_order_mark_decides_and_is_no_text() {
    for (mark, encoding) in [(&b"\xEF\xBB\xBF"[..], UTF_8), (b"\xFF\xFE", UTF_16LE), (b"\xFE\xFF", UTF_16BE)] {
        let bytes = [mark, &encoded("é", encoding).unwrap()].concat();
        assert_eq!(recognise_encoding(&bytes, true), (encoding.into(), Knowledge::Certain));
        assert_eq!(decode_sample(&bytes, encoding.into(), true), "é".as_bytes());
    }
}

#[test]
fn a_sample_may_end_in_the_middle_of_a_character() {
    let cut = &"Søren".as_bytes()[..2];
    assert_eq!(recognise_encoding(cut, false).0, UTF_8);
    assert_ne!(recognise_encoding(cut, true).0, UTF_8);
}

#[rstest]
#[case(UTF_16LE, b"a\x00\n\x00\x00\xD8b\x00", 2)]
#[case(SHIFT_JIS, b"a\nb\nc\x81\x20", 3)]
fn bytes_that_fit_nothing_are_an_error_with_their_line(
    #[case] encoding: &'static Encoding,
    #[case] bytes: &[u8],
    #[case] line: u64,
) {
    let error = unreadable(Path::new("list.csv"), &decoded(bytes, encoding).unwrap_err());
    assert!(error.what().contains(&format!("in line {line} ")), "{error}");
}

#[test]
fn a_name_that_is_no_encoding_names_the_closest() {
    assert_eq!(encoding_named(" Latin1 ").unwrap(), WINDOWS_1252);
    assert_eq!(encoding_named("windws-1252").unwrap_err().advice(), "did you mean windows-1252?");
}

proptest! {
    #[test]
    fn what_was_written_in_an_encoding_is_read_back(
        text in "[a-zé€łščжシ;,\n\" ]{0,300}",
        repeats in 1usize..900,
        encoding in prop::sample::select(vec![
            UTF_16LE, UTF_16BE, WINDOWS_1252, WINDOWS_1250, WINDOWS_1251, ISO_8859_2, ISO_8859_15, MACINTOSH, SHIFT_JIS, KOI8_R,
        ]),
    ) {
        // What the encoding has no letters for is left out.
        let text: String = text.chars().filter(|c| encoded(&c.to_string(), encoding).is_some()).collect::<String>().repeat(repeats);
        let bytes = encoded(&text, encoding).unwrap();
        prop_assert_eq!(decoded(&bytes, encoding).unwrap(), text);
    }
}

#[test]
fn what_each_byte_would_mean_in_running_text_decides_between_encodings_of_single_bytes() {
    let windows_1252 = [
        "name,note\nIda,Don’t ask\n",
        "name,note\nIda,“Hello” she said\n",
        "note\nThe shops’ owner – 3 – came…\n",
        "note\nfrom 10–12, £20 or € 25\n",
        "name\nSpring Fair™\n",
        "name\nBjørn\n",
        "name\nAnaïs\n",
        "word\nsœur\n",
        "town\nØrsted\n",
        "street\nHauptstraße 5\n",
        "name\nPeña\n",
        "name\nMüller\n",
        "name\nZoë\n",
        "name\nChloé\nd’Artois\nl’école\n",
        "name\nJosé García\nMaría Muñoz\n",
        "Name;Ort\nJürgen Müller;Köln\nWeiß;Gießen\n",
        "navn\nSøren Sørensen\nÅse Ødegård\nKjær\n",
        "nome\nJoão Conceição\nAntônio\n",
    ];
    let mac = [
        "name,note\nIda,Don’t ask\nJosé,“Hello” he said\n",
        "Name;Ort\nJürgen Müller;Köln\nWeiß;Gießen\n",
        "name\nChloé Lefèvre\nFrançois\n",
        "name\nJosé García\nMaría Muñoz\n",
        "navn\nSøren Sørensen\nÅse Ødegård\n",
        "name\nZoë\nAnaïs\n",
        "name\nPeña\n",
        "street\nHauptstraße 5\n",
    ];
    let windows_1250 = [
        "Jméno;Město\nJiří Nováček;Plzeň\nBožena Dvořáková;Děčín\n",
        "nazwisko\nŁukasz Łapiński\nŁódź\nWójcik Żółkiewska\nKrzyżanowska\n",
        "név\nKovács Győző\nSzűcs Tűnde\nFűrész Ödön\nErdős Jenő\n",
    ];
    for (texts, encoding) in [(&windows_1252[..], WINDOWS_1252), (&mac, MACINTOSH), (&windows_1250, WINDOWS_1250)] {
        for text in texts {
            let bytes = encoded(text, encoding).unwrap_or_else(|| panic!("{text}"));
            let (found, _) = recognise_encoding(&bytes, true);
            assert_eq!(decode_sample(&bytes, found, true), text.as_bytes(), "{text} was taken for {}", found.name());
        }
    }
}

#[test]
fn two_files_pasted_together_are_read_line_by_line() {
    let utf_8 = "name\nSøren\nJürgen\nChloé\nZoë\n";
    let (western, ..) = WINDOWS_1252.encode("Åse\nMüller\nd’Artois\n");
    let pasted = [utf_8.as_bytes(), &western, "Weiß\n".as_bytes()].concat();
    assert_eq!(recognise_encoding(&pasted, true), (UTF_8.into(), Knowledge::Mixed));
    let read = |bytes: &[u8]| {
        let mut text = String::new();
        let mut decoding = Decoding::new(bytes, UTF_8.into(), BadBytesAre::Windows1252, false);
        decoding.read_to_string(&mut text).unwrap();
        (text, decoding.replaced().count)
    };
    let expected = format!("{utf_8}Åse\nMüller\nd’Artois\nWeiß\n");
    assert_eq!(read(&pasted), (expected.clone(), 3));
    assert_eq!(decode_mixed_sample(&pasted, true), expected.as_bytes());
    // Wherever a buffer ends.
    let long = [b"x".repeat((64 << 10) - 1).as_slice(), b"\xE9\n\xC3", b"\xA9\n"].concat();
    let (text, replaced) = read(&long);
    assert!(text.ends_with("é\né\n") && replaced == 1);
}

#[test]
fn a_few_broken_bytes_in_utf_8_make_no_other_encoding_of_it() {
    let text = "name\nSøren Ærø\nJürgen\nChloé\n".repeat(20);
    let broken = [text.as_bytes(), b"Zo\xC3\n", b"\xA9t\xC3\n"].concat();
    assert_eq!(recognise_encoding(&broken, true).0, UTF_8);
}

#[test]
fn code_pages_of_dos_are_recognised_by_their_letters_and_read() {
    let pages = [
        (850, "Name;Ort\r\nJürgen Müller;Köln\r\nWeiß;Gießen\r\nGötz Äpfel;Übersee\r\n"),
        (850, "navn;by\r\nSøren Sørensen;Århus\r\nKjær;Ærøskøbing\r\n"),
        (437, "nom;ville\r\nChloé Lefèvre;Besançon\r\nFrançois;Nîmes\r\n"),
        (850, "name\r\nMüller\r\n"),
        (852, "nazwisko\r\nŁukasz Wójcik\r\nŻółkiewska\r\nKrzyżanowski\r\nŚwięch\r\nGołąb\r\n"),
        (852, "név;város\r\nSzőke Bálint;Győr\r\nTóth Erzsébet;Pécs\r\nNagy Ödön;Üröm\r\n"),
    ];
    for (number, text) in pages {
        let page = Charset::named(&format!("cp{number}")).unwrap();
        let bytes: Vec<u8> = text.chars().map(|c| (0..=255).find(|byte| page.character(*byte) == c).unwrap()).collect();
        let (found, knowledge) = recognise_encoding(&bytes, true);
        assert_eq!(knowledge, Knowledge::Guessed);
        assert_eq!(String::from_utf8(decode_sample(&bytes, found, true)).unwrap(), text, "taken for {}", found.name());
        let mut read = String::new();
        Decoding::new(&bytes[..], found, BadBytesAre::Errors, false).read_to_string(&mut read).unwrap();
        assert_eq!(read, text);
    }
    for name in ["cp850", "CP850", "ibm850", "IBM-850", "850", "dos 850"] {
        assert_eq!(Charset::named(name).map(Charset::name), Some("cp850"), "{name}");
    }
    assert_eq!(Charset::named("cp1252"), Some(WINDOWS_1252.into()));
}
