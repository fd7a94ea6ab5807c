//! Text that was decoded wrongly once or several times before it was exported (`JosÃ©`, `â€™`), put right where that
//! is certain: UTF-8 that was taken for windows-1252.

use crate::columns::map::ColumnMap;
use encoding_rs::{EncoderResult, WINDOWS_1252};
use memchr::memchr2_iter;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::unseen::is_unseen;
use pebblebank_table::{CsvBuffer, Record, cell};
use pebblebank_values::Field;
use std::borrow::Cow;
use unicode_normalization::{UnicodeNormalization, is_nfc};

/// How often a text may have been decoded wrongly.
const MOST_ROUNDS: usize = 4;

/// Whether bytes of UTF-8 hold what such text is known by: a capital `Ã`, `Â`, `â` and the like before a sign that no
/// word goes on with. A text without it need not be looked at.
pub fn may_hold(text: &[u8]) -> bool {
    memchr2_iter(0xC3, 0xCC, text).any(|at| {
        matches!(
            (text[at], text.get(at + 1..at + 3)),
            // Â Ã Ä Å Æ Ð Ñ â ã ä å æ ç è é ï, followed by something that is not ASCII; or an accent apart from its letter.
            (0xCC, _) | (_, Some([0x82..=0x86 | 0x90 | 0x91 | 0xA2..=0xA9 | 0xAF, 0xC2..=0xFF]))
        )
    })
}

/// The text as it was meant; none where it is right, or where it is not certain what was meant.
///
/// ```
/// use pebblebank_core::clean::double_encoded::repaired;
/// assert_eq!(repaired("JosÃ© Muñoz"), None, "half of it is right");
/// assert_eq!(repaired("JosÃ© MuÃ±oz").as_deref(), Some("José Muñoz"));
/// assert_eq!(repaired("Oâ€™Neill").as_deref(), Some("O’Neill"));
/// assert_eq!(repaired("Â£5"), Some("£5".to_owned()));
/// assert_eq!(repaired("São João"), None);
/// ```
pub fn repaired(text: &str) -> Option<String> {
    if text.is_ascii() || !may_hold(text.as_bytes()) {
        return None;
    }
    let has_later = |c: char| c > '\u{FF}' && is_unseen(c);
    let mut meant =
        decoded_once_less(&without(text, has_later)).or_else(|| decoded_once_less(&without(text, is_unseen)))?;
    for _ in 1..MOST_ROUNDS {
        match decoded_once_less(&meant) {
            Some(less) => meant = less,
            None => break,
        }
    }
    // A control character is nothing that anybody meant.
    (!meant.contains(|c| ('\u{80}'..='\u{9F}').contains(&c))).then_some(meant)
}

/// The text without such characters, of which spaces become plain ones, and with accents at their letters: they may have come
/// into it after it was decoded wrongly, and cleaning must find the same before and after it takes them out.
fn without(text: &str, is_later: impl Fn(char) -> bool) -> Cow<'_, str> {
    if is_nfc(text) && !text.contains(&is_later) {
        return text.into();
    }
    let kept = text.chars().filter(|c| c.is_whitespace() || !is_later(*c));
    kept.map(|c| if is_later(c) { ' ' } else { c }).nfc().collect::<String>().into()
}

/// Undoes one wrong decoding: the whole text must be windows-1252 whose bytes are UTF-8 with letters that names have.
fn decoded_once_less(text: &str) -> Option<String> {
    if text.is_ascii() || !may_hold(text.as_bytes()) {
        return None;
    }
    let mut bytes = Vec::with_capacity(text.len());
    let mut encoder = WINDOWS_1252.new_encoder();
    let mut buffer = [0; 4];
    for c in text.chars() {
        if ('\u{80}'..='\u{9F}').contains(&c) {
            // Bytes that windows-1252 leaves open are mostly carried over as they are.
            bytes.push(c as u8);
            continue;
        }
        let mut one = [0; 4];
        let character = c.encode_utf8(&mut one);
        let (result, _, written) = encoder.encode_from_utf8_without_replacement(character, &mut buffer, false);
        if result != EncoderResult::InputEmpty || written != 1 {
            return None;
        }
        bytes.push(buffer[0]);
    }
    let meant = String::from_utf8(bytes).ok()?;
    (meant.chars().all(is_usual) && meant.split_whitespace().all(is_sure_of_script)).then_some(meant)
}

/// One letter of another script, or one beside Latin letters, may as well be what two signs look like: "Ñ€".
fn is_sure_of_script(word: &str) -> bool {
    let is_other = |c: &char| c.is_alphabetic() && *c >= '\u{370}' && !matches!(c, '\u{1E00}'..='\u{1EFF}');
    let others = word.chars().filter(is_other).count();
    others == 0 || (others > 1 && !word.chars().any(|c| c.is_ascii_alphabetic()))
}

/// Characters that contacts' data has: letters of living scripts, typographic signs, or again such text.
fn is_usual(c: char) -> bool {
    c.is_ascii()
        || matches!(c,
            '\u{80}'..='\u{17F}' | 'ƒ' | 'Ș'..='ț' | 'ʼ' | '˜' | 'ˆ' | '\u{370}'..='\u{6FF}' | '\u{900}'..='\u{DFF}' | '\u{E00}'..='\u{E7F}'
            | '\u{1E00}'..='\u{1EFF}' | '–' | '—' | '‘'..='‚' | '“'..='„' | '†'..='•' | '…' | '‰' | '‹' | '›' | '€' | '™' | '№' | '\u{FEFF}'
            | '\u{3040}'..='\u{30FF}' | '\u{4E00}'..='\u{9FFF}' | '\u{AC00}'..='\u{D7A3}')
}

/// What was put right in one cell: the header of its column, the text before and after.
pub type TextRepair = (String, String, String);

/// A record in which wrongly decoded text is put right; addresses stay as they are. Keeps its buffers from record to
/// record.
#[derive(Debug, Default)]
pub struct DecodedRecord {
    buffer: RecordBuffer,
    cell: CsvBuffer,
    repairs: Vec<TextRepair>,
}

impl DecodedRecord {
    /// Reads a record; whether anything in it was put right.
    pub fn read(&mut self, record: &Record, map: &ColumnMap) -> bool {
        self.repairs.clear();
        if !may_hold(record.bytes()) {
            return false;
        }
        self.buffer.clear();
        for (column, raw) in record.raw_cells().enumerate() {
            let is_address = map.column(Field::Email) == Some(ColumnIndex(column))
                || map.further_addresses.contains(&ColumnIndex(column));
            let text = cell::text(raw);
            let meant = if is_address { None } else { repaired(&text) };
            match meant {
                Some(meant) => {
                    self.cell.clear();
                    self.cell.value(meant.as_bytes());
                    self.buffer.cell(self.cell.bytes.strip_suffix(b",").unwrap_or(&self.cell.bytes));
                    let header = map.headers.get(column).cloned().unwrap_or_default();
                    self.repairs.push((header, text.into_owned(), meant));
                }
                None => self.buffer.cell(raw),
            }
        }
        !self.repairs.is_empty()
    }

    /// The record that was read last, put right.
    pub fn record(&self) -> Record<'_> {
        self.buffer.record()
    }

    /// What was put right in it.
    pub fn repairs(&self) -> &[TextRepair] {
        &self.repairs
    }
}
