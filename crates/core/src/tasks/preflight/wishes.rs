//! What is asked of a file that is to be imported.

use crate::job::guard::Accepted;
use crate::job::lists::SuppressionList;
use crate::job::remembering::Remembering;
use crate::job::sources::ReadFiles;
use crate::layout::Layout;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use std::path::PathBuf;

/// What is asked.
#[derive(Debug, Clone)]
pub struct PreflightWishes {
    /// The file.
    pub file: ReadFiles,
    /// What it is called.
    pub name: String,
    /// The layout that it must have; none where any columns will do.
    pub layout: Option<Layout>,
    /// Who must not be in it.
    pub against: Vec<SuppressionList>,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// The receipt of the run that wrote it.
    pub receipt: Option<PathBuf>,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The guards that do not stop it.
    pub accept: Accepted,
    /// The day.
    pub today: Date,
}
