//! Which encoding of single bytes a text is in: what each byte above 0x7F would mean in running text, weighed by what stands
//! beside it. Detectors that count letters take typographic signs for letters of another encoding, and know no Mac Roman.

use crate::charset::{CODE_PAGE_437, CODE_PAGE_850, CODE_PAGE_852, Charset};
use encoding_rs::{Encoding, ISO_8859_2, MACINTOSH, WINDOWS_1250, WINDOWS_1252, WINDOWS_1254, WINDOWS_1257};

/// How many bytes above 0x7F are weighed.
const ENOUGH: usize = 20_000;

/// Those that are weighed against each other; of equal ones the first.
static CANDIDATES: [Charset; 9] = [
    Charset::Standard(WINDOWS_1252),
    Charset::Standard(MACINTOSH),
    Charset::CodePage(&CODE_PAGE_850),
    Charset::CodePage(&CODE_PAGE_437),
    Charset::Standard(WINDOWS_1250),
    Charset::Standard(WINDOWS_1254),
    Charset::Standard(WINDOWS_1257),
    Charset::CodePage(&CODE_PAGE_852),
    Charset::Standard(ISO_8859_2),
];

/// The letters with marks of the languages that are written in Latin letters: those of one file are mostly of one of them.
const LANGUAGES: [&str; 28] = [
    // German, French, Dutch.
    "äöüß",
    "àâæçéèêëîïôœùûüÿ",
    "éèëïóöüáíú",
    // Spanish, Portuguese, Italian, Catalan.
    "áéíñóúü",
    "àáâãçéêíóôõúü",
    "àèéìíîòóùú",
    "àçèéíïòóúü",
    // Danish and Norwegian, Swedish and Finnish, Icelandic, Faroese.
    "æøåéäöüòêóô",
    "åäöéüáàèæø",
    "áðéíóúýþæö",
    "áðíóúýæø",
    // Irish, Scottish Gaelic, Welsh.
    "áéíóú",
    "àèìòù",
    "âêîôûŵŷáéíóúàèïöü",
    // Polish, Czech, Slovak, Sorbian.
    "ąćęłńóśźż",
    "áčďéěíňóřšťúůýž",
    "áäčďéíĺľňóôŕšťúýž",
    "ćčěłńóřšśžź",
    // Hungarian, Romanian in both of its spellings, Croatian with Slovene, Serbian and Bosnian, Albanian.
    "áéíóöőúüű",
    "ăâîșț",
    "ăâîşţ",
    "čćđšž",
    "çë",
    // Turkish, Estonian, Latvian, Lithuanian, Maltese.
    "çğıiöşüâîû",
    "äõöüšž",
    "āčēģīķļņšūžōŗ",
    "ąčęėįšųūž",
    "ċġħżàèìòù",
];

/// Letters with marks of western languages, in the order in which they are common.
const WESTERN: &str = "éèêëàâäáãåæçíìîïñóòôöõøúùûüßýÉÈÊÀÂÄÁÃÅÆÇÍÎÑÓÔÖÕØÚÛÜ";

/// Letters of western languages that are rare in them.
const RARE: &str = "œŒÿŸðþÐÞšžŠŽËÏÌÒÙÝ";

/// Letters of the languages of the middle of Europe.
const OF_THE_MIDDLE: &str = "áčďéěíňóřšťúůýžąćęłńśźżőűöüäâîşţăđľĺŕôÁČĎÉÍŇÓŘŠŤÚŽĄĆĘŁŃŚŹŻŐŰÖÜÄÂÎŞŢĂĐĽßëç";

/// Letters of the languages that windows-1250, windows-1254 and windows-1257 are made for.
static OF_OTHERS: [(Charset, &str); 5] = [
    (Charset::Standard(ISO_8859_2), OF_THE_MIDDLE),
    (Charset::CodePage(&CODE_PAGE_852), OF_THE_MIDDLE),
    (Charset::Standard(WINDOWS_1250), OF_THE_MIDDLE),
    (Charset::Standard(WINDOWS_1254), "çğıöşüâîûÇĞİÖŞÜ"),
    (Charset::Standard(WINDOWS_1257), "ąčęėįšųūžāēģīķļņõäöüĄČĘĖĮŠŲŪŽĀĒĢĪĶĻŅÕÄÖÜ"),
];

/// What the bytes above 0x7F of a text would mean.
#[derive(Debug, Default)]
pub(crate) struct Weights {
    /// For each candidate.
    sums: [i64; 9],
    /// For each candidate: signs that make sense where they stand.
    signs: [i64; 9],
    /// How often each byte above 0x7F was met.
    counts: Vec<i64>,
    /// How many bytes were weighed.
    weighed: usize,
    /// Of these, the ones with another of them on either side.
    beside_others: usize,
}

impl Weights {
    /// Weighs a piece of text.
    pub(crate) fn feed(&mut self, text: &[u8]) {
        for (at, byte) in text.iter().enumerate().filter(|(_, byte)| **byte >= 0x80) {
            if self.weighed >= ENOUGH {
                return;
            }
            self.weighed += 1;
            let before = &text[at.saturating_sub(5)..at];
            let after = &text[at + 1..text.len().min(at + 4)];
            let is_high = |byte: Option<&u8>| byte.is_some_and(|byte| *byte >= 0x80);
            self.beside_others += usize::from(is_high(before.last()) || is_high(after.first()));
            self.counts.resize(0x80, 0);
            self.counts[usize::from(*byte - 0x80)] += 1;
            for ((sum, signs), charset) in self.sums.iter_mut().zip(&mut self.signs).zip(CANDIDATES) {
                let character = charset.character(*byte);
                let weight = weight(character, charset, before, after);
                *sum += weight;
                *signs += i64::from(weight > 0 && !character.is_alphabetic());
            }
        }
    }

    /// The charset whose reading makes most sense; none where the text is hardly in Latin letters, or nothing makes sense.
    pub(crate) fn best(&self, guess: &'static Encoding) -> Option<Charset> {
        /// With fewer bytes than this the language stays unknown.
        const FEW: usize = 4;
        let is_latin = self.weighed > 0 && self.beside_others * 20 <= self.weighed * 13;
        let is_known = guess.is_single_byte() || self.weighed < FEW * 5;
        if !is_latin || !is_known {
            return None;
        }
        let mut sums = self.sums;
        for ((sum, signs), charset) in sums.iter_mut().zip(self.signs).zip(CANDIDATES) {
            *sum += signs + self.of_one_language(charset);
        }
        let most = *sums.iter().max()?;
        let of_guess = CANDIDATES.iter().position(|own| *own == guess).map(|place| sums[place]);
        // Where the letters say no more, the detector's knowledge of languages does.
        if self.weighed >= FEW && of_guess == Some(most) {
            return Some(guess.into());
        }
        let place = sums.iter().position(|sum| *sum == most)?;
        (most > 0).then_some(CANDIDATES[place])
    }

    /// How many of the letters are of one language, for the language that has most; those that it lacks count against it.
    fn of_one_language(&self, charset: Charset) -> i64 {
        const AGAINST: i64 = 2;
        let letters: Vec<(char, i64)> = (0x80u8..=0xFF)
            .zip(&self.counts)
            .filter(|(_, count)| **count > 0)
            .map(|(byte, count)| (charset.character(byte), *count))
            .filter(|(letter, _)| letter.is_alphabetic())
            .map(|(letter, count)| (letter.to_lowercase().next().unwrap_or(letter), count))
            .collect();
        let of = |language: &str| -> i64 {
            letters
                .iter()
                .map(|(letter, count)| if language.contains(*letter) { *count } else { -AGAINST * count })
                .sum()
        };
        LANGUAGES.iter().map(|language| of(language)).max().unwrap_or_default()
    }

    /// Whether the bytes make sense in windows-1252.
    pub(crate) fn fits_windows_1252(&self) -> bool {
        self.weighed > 0 && usize::try_from(self.sums[0]).is_ok_and(|sum| sum >= self.weighed)
    }
}

/// How much sense a character makes between these bytes: 2 for what is usual there, less than nothing for what is not.
fn weight(c: char, charset: Charset, before: &[u8], after: &[u8]) -> i64 {
    let last = before.last().copied().unwrap_or(b' ');
    let next = after.first().copied().unwrap_or(b' ');
    let letter = |byte: u8| byte.is_ascii_alphabetic();
    match c {
        '’' => apostrophe(before, after),
        '‘' | '“' | '„' | '«' | '‹' => {
            if !letter(last) && !next.is_ascii_whitespace() {
                2
            } else {
                -1
            }
        }
        '”' | '»' | '›' => {
            if !last.is_ascii_whitespace() && !letter(next) {
                2
            } else {
                -1
            }
        }
        '–' | '—' => match (last, next) {
            (b' ', b' ') => 2,
            _ if last.is_ascii_digit() && next.is_ascii_digit() => 2,
            _ if letter(last) && letter(next) => -1,
            _ => 1,
        },
        '…' => {
            if last.is_ascii_alphanumeric() && !letter(next) {
                2
            } else {
                -1
            }
        }
        '€' | '£' => {
            let is_sum = next.is_ascii_digit()
                || (!letter(last) && next == b' ' && after.get(1).is_some_and(u8::is_ascii_digit))
                || last.is_ascii_digit()
                || (last == b' ' && !letter(next))
                || (next == b' ' && last == b' ');
            if is_sum { 2 } else { -2 }
        }
        '™' | '®' | '©' if !letter(next) && (last != b' ' || c == '©') => 1,
        '°' | 'º' | 'ª' => {
            if last.is_ascii_digit() || matches!(last, b'N' | b'n' | b' ') && !letter(next) {
                2
            } else {
                -2
            }
        }
        '·' | '•' | '\u{A0}' | '§' | '²' | '³' | '½' | '¼' | '¡' | '¿' => {
            if letter(last) && letter(next) {
                -3
            } else {
                1
            }
        }
        '´' | '`' => {
            if letter(last) {
                1
            } else {
                -1
            }
        }
        c if c.is_alphabetic() => of_letter(c, charset, last, next),
        _ => -3,
    }
}

/// An apostrophe stands before an English ending, or behind a French, Italian or Irish beginning.
fn apostrophe(before: &[u8], after: &[u8]) -> i64 {
    let last = before.last().copied().unwrap_or(b' ');
    let word: Vec<u8> =
        before.iter().rev().take_while(|byte| byte.is_ascii_alphabetic()).map(u8::to_ascii_lowercase).collect();
    let tail: Vec<u8> =
        after.iter().take_while(|byte| byte.is_ascii_alphabetic()).map(u8::to_ascii_lowercase).collect();
    let is_ending = matches!(tail.as_slice(), b"s" | b"t" | b"d" | b"m" | b"re" | b"ll" | b"ve");
    // Backwards: "d'", "l'", "qu'", "dell'", "O'".
    let is_beginning = matches!(
        word.as_slice(),
        [b'd' | b'l' | b'j' | b'n' | b's' | b'c' | b'm' | b't' | b'o']
            | b"uq"
            | b"nu"
            | b"lled"
            | b"lla"
            | b"llen"
            | b"llus"
    ) && after.first().is_some_and(|next| next.is_ascii_alphabetic() || *next >= 0x80);
    // A closing quote, or a plural: "the shops’ ".
    let is_closing = last.is_ascii_alphanumeric() && tail.is_empty() || last.is_ascii_punctuation() && tail.is_empty();
    if is_ending || is_beginning { 2 } else { i64::from(is_closing) * 2 - 1 }
}

fn of_letter(c: char, charset: Charset, last: u8, next: u8) -> i64 {
    let own = OF_OTHERS.iter().find(|(of, _)| *of == charset).map(|(_, letters)| *letters);
    let is_usual = own.unwrap_or(WESTERN).contains(c);
    let is_rare = own.is_none() && RARE.contains(c);
    let has_letter = last.is_ascii_alphabetic() || next.is_ascii_alphabetic();
    // "Kšln", "AndrŽ": a capital between small letters.
    if c.is_uppercase() && last.is_ascii_lowercase() {
        return -2;
    }
    // "MÅller", "KÖln": a capital between a capital and a small letter.
    if c.is_uppercase() && last.is_ascii_uppercase() && next.is_ascii_lowercase() {
        return -2;
    }
    if c.is_lowercase() && last.is_ascii_uppercase() && next.is_ascii_uppercase() {
        return -2;
    }
    if !has_letter {
        // A letter by itself: "à", "é" beside other marks.
        return if matches!(c, 'à' | 'é' | 'è' | 'ò' | 'ó' | 'á' | 'É' | 'À' | 'å' | 'ö' | 'ø') {
            0
        } else {
            -2
        };
    }
    // "naïf", "Anaïs", "Loïc": it parts two vowels.
    if c == 'ï' && last.is_ascii_alphabetic() && !b"aeiouAEIOU".contains(&last) {
        return -2;
    }
    if matches!(c, 'œ' | 'Œ') {
        return if matches!(next.to_ascii_lowercase(), b'u' | b'i' | b's' | b't') { 2 } else { -1 };
    }
    // Few words end in these, or begin with them.
    let is_end = last.is_ascii_alphabetic() && !next.is_ascii_alphabetic();
    let is_odd_end = is_end && matches!(c, 'ô' | 'î' | 'ï' | 'û' | 'â' | 'ì' | 'ñ' | 'ê' | 'æ');
    let is_odd_begin = !last.is_ascii_alphabetic() && c.is_lowercase() && !"éêàöüåæø".contains(c);
    match (is_usual, is_rare, is_odd_end || is_odd_begin) {
        (true, _, false) => 2,
        (true, _, true) | (_, true, _) => 1,
        _ => -2,
    }
}
