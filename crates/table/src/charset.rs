//! In what a text can be encoded: what the WHATWG Encoding Standard names, and the code pages of DOS, which it lacks and old programs
//! still write (IBM code pages 437, 850 and 852).

use encoding_rs::Encoding;

/// What a text is encoded in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Charset {
    /// One of the Encoding Standard.
    Standard(&'static Encoding),
    /// A code page of DOS.
    CodePage(&'static CodePage),
}

/// A code page: ASCII, and a character for each byte from 0x80.
#[derive(Debug, PartialEq, Eq)]
pub struct CodePage {
    name: &'static str,
    letters: &'static str,
}

/// Code page 437.
pub static CODE_PAGE_437: CodePage = CodePage {
    name: "cp437",
    letters: "ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐\
              └┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u{A0}",
};

/// Code page 850.
pub static CODE_PAGE_850: CodePage = CodePage {
    name: "cp850",
    letters: "ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜø£Ø×ƒáíóúñÑªº¿®¬½¼¡«»░▒▓│┤ÁÂÀ©╣║╗╝¢¥┐\
              └┴┬├─┼ãÃ╚╔╩╦╠═╬¤ðÐÊËÈıÍÎÏ┘┌█▄¦Ì▀ÓßÔÒõÕµþÞÚÛÙýÝ¯´\u{AD}±‗¾¶§÷¸°¨·¹³²■\u{A0}",
};

/// Code page 852.
pub static CODE_PAGE_852: CodePage = CodePage {
    name: "cp852",
    letters: "ÇüéâäůćçłëŐőîŹÄĆÉĹĺôöĽľŚśÖÜŤťŁ×čáíóúĄąŽžĘę¬źČş«»░▒▓│┤ÁÂĚŞ╣║╗╝Żż┐\
              └┴┬├─┼Ăă╚╔╩╦╠═╬¤đĐĎËďŇÍÎě┘┌█▄ŢŮ▀ÓßÔŃńňŠšŔÚŕŰýÝţ´\u{AD}˝˛ˇ˘§÷¸°¨˙űŘř■\u{A0}",
};

/// All of them.
pub static CODE_PAGES: [&CodePage; 3] = [&CODE_PAGE_850, &CODE_PAGE_437, &CODE_PAGE_852];

impl CodePage {
    /// The character of a byte.
    pub fn character(&self, byte: u8) -> char {
        match byte.checked_sub(0x80) {
            None => char::from(byte),
            Some(place) => self.letters.chars().nth(usize::from(place)).unwrap_or('\u{FFFD}'),
        }
    }

    /// Adds the text of some bytes as UTF-8.
    pub fn decode(&self, bytes: &[u8], text: &mut Vec<u8>) {
        let all: Vec<char> = self.letters.chars().collect();
        let mut buffer = [0; 4];
        for byte in bytes {
            match byte.checked_sub(0x80).and_then(|place| all.get(usize::from(place))) {
                None => text.push(*byte),
                Some(c) => text.extend_from_slice(c.encode_utf8(&mut buffer).as_bytes()),
            }
        }
    }
}

impl Charset {
    /// The name, as jobs and options take it.
    pub fn name(self) -> &'static str {
        match self {
            Charset::Standard(encoding) => encoding.name(),
            Charset::CodePage(page) => page.name,
        }
    }

    /// The charset of that name: a label of the Encoding Standard, or `cp850`, `ibm850`, `437`.
    pub fn named(name: &str) -> Option<Charset> {
        let name = name.trim();
        let number = name.trim_start_matches(|c: char| !c.is_ascii_digit());
        let head = name[..name.len() - number.len()].to_ascii_lowercase();
        let is_code_page = matches!(head.trim_end_matches([' ', '-', '_']), "" | "cp" | "ibm" | "dos" | "code page");
        let page = CODE_PAGES.into_iter().find(|page| is_code_page && &page.name[2..] == number);
        page.map(Charset::CodePage).or_else(|| Encoding::for_label(name.as_bytes()).map(Charset::Standard))
    }

    /// The encoding, where the Encoding Standard has it.
    pub fn standard(self) -> Option<&'static Encoding> {
        match self {
            Charset::Standard(encoding) => Some(encoding),
            Charset::CodePage(_) => None,
        }
    }

    /// Whether a byte stands for one character, whatever is beside it.
    pub fn is_single_byte(self) -> bool {
        match self {
            Charset::Standard(encoding) => encoding.is_single_byte(),
            Charset::CodePage(_) => true,
        }
    }

    /// The character of a byte, in a charset of single bytes.
    pub fn character(self, byte: u8) -> char {
        match self {
            Charset::Standard(encoding) => {
                let text = [byte];
                let (text, _) = encoding.decode_without_bom_handling(&text);
                text.chars().next().unwrap_or('\u{FFFD}')
            }
            Charset::CodePage(page) => page.character(byte),
        }
    }
}

impl PartialEq<&'static Encoding> for Charset {
    fn eq(&self, other: &&'static Encoding) -> bool {
        self.standard() == Some(*other)
    }
}

impl From<&'static Encoding> for Charset {
    fn from(encoding: &'static Encoding) -> Charset {
        Charset::Standard(encoding)
    }
}
