//! The kinds of workbooks.

use crate::Input;
use crate::unpack::is_zip;
use pebblebank_table::{Error, Result};
use std::io::Read;

/// The formats.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
pub(crate) enum Kind {
    #[strum(serialize = "workbook (XLSX)")]
    Xlsx,
    #[strum(serialize = "workbook (XLSB)")]
    Xlsb,
    #[strum(serialize = "workbook (XLS)")]
    Xls,
    #[strum(serialize = "workbook (ODS)")]
    Ods,
}

impl Kind {
    pub fn of(input: &Input) -> Result<Kind> {
        let mut begin = Vec::new();
        let path = input.path();
        input.packed_file()?.take(8).read_to_end(&mut begin).map_err(|cause| Error::unreadable(path, &cause))?;
        if !is_zip(&begin) {
            return Ok(Kind::Xls);
        }
        let names = crate::unpack::members(input.packed_file()?, path)?;
        let has = |part: &str| names.iter().any(|member| member.name.replace('\\', "/").starts_with(part));
        Ok(match () {
            () if has("xl/workbook.bin") => Kind::Xlsb,
            () if has("xl/") => Kind::Xlsx,
            () => Kind::Ods,
        })
    }

    pub fn name(self) -> &'static str {
        self.into()
    }
}
