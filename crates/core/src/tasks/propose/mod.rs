//! From what a survey saw to a job file, with comments that say what was seen and what can be changed.

mod columns;
mod file_kinds;
mod job_text;
pub mod layout_text;

use crate::job::schema::JOB_SCHEMA_FILE;
use crate::suppress::reason::Reason;
use crate::tasks::survey::column::ColumnSurvey;
use crate::tasks::survey::found::FileSurvey;
use crate::tasks::template::Template;
use columns::write_columns;
use file_kinds::{common_stem, looks_like_list, stem_of};
use job_text::{JobText, quoted, relative};
use pebblebank_formats::writing::FileFormat;
use pebblebank_values::Field;
use pebblebank_values::fold::fold;
use std::collections::HashSet;
use std::fmt::Write;
use std::path::Path;

/// A job file as text, and what it says in short.
#[derive(Debug, Clone)]
pub struct Proposal {
    /// The TOML.
    pub text: String,
    /// What became of each file.
    pub parts: Vec<ProposedPart>,
    /// What must be decided before the job can run.
    pub open_questions: Vec<String>,
}

/// A source or list of the proposal.
#[derive(Debug, Clone)]
pub struct ProposedPart {
    /// Its name in the job.
    pub name: String,
    /// Its files, as the job names them.
    pub files: Vec<String>,
    /// Why its people must not be contacted; none for a source.
    pub reason: Option<Reason>,
    /// Why it was taken for that.
    pub because: String,
}

/// Proposes a job called `name` whose file lies in `folder`.
/// The layout is that of the template, where there is one.
pub fn propose(surveys: &[FileSurvey], template: Option<&Template>, name: &str, folder: &Path) -> Proposal {
    let read: Vec<&FileSurvey> = surveys.iter().filter(|survey| !survey.is_receipt).collect();
    let mut lists = Vec::new();
    let mut contacts: Vec<&FileSurvey> = Vec::new();
    for survey in &read {
        match looks_like_list(survey) {
            Some((reason, because)) => lists.push((*survey, reason, because)),
            None => contacts.push(survey),
        }
    }
    // A list of addresses alone is a source where there is no other.
    if contacts.is_empty() {
        let by_content = |(_, _, because): &(&FileSurvey, Reason, String)| because.starts_with("it has only");
        if let Some(place) = lists.iter().position(by_content).or(if lists.is_empty() { None } else { Some(0) }) {
            contacts.push(lists.remove(place).0);
        }
    }
    let mut proposer = Proposer {
        folder,
        text: JobText::default(),
        names: HashSet::new(),
        parts: Vec::new(),
        open_questions: Vec::new(),
    };
    proposer.head(name, surveys);
    for group in of_same_shape(&contacts) {
        proposer.source(&group);
    }
    for (survey, reason, because) in &lists {
        proposer.list(survey, *reason, because);
    }
    proposer.open_questions.extend(template.into_iter().flat_map(layout_text::open_questions));
    proposer.rest(name, template, &contacts);
    Proposal { text: proposer.text.into_text(), parts: proposer.parts, open_questions: proposer.open_questions }
}

/// The files whose headers are the same, in the order of the first of each.
fn of_same_shape<'a>(surveys: &[&'a FileSurvey]) -> Vec<Vec<&'a FileSurvey>> {
    let shape = |survey: &FileSurvey| {
        let mut headers: Vec<String> = survey.columns.iter().map(|column| fold(&column.header)).collect();
        headers.sort_unstable();
        (headers, survey.format, survey.encoding_is_guessed.then_some(survey.encoding))
    };
    let mut groups: Vec<Vec<&FileSurvey>> = Vec::new();
    for survey in surveys {
        match groups.iter_mut().find(|group| shape(group[0]) == shape(survey)) {
            Some(group) => group.push(survey),
            None => groups.push(vec![survey]),
        }
    }
    groups
}

/// Writes the job file, part by part.
struct Proposer<'a> {
    folder: &'a Path,
    text: JobText,
    names: HashSet<String>,
    parts: Vec<ProposedPart>,
    open_questions: Vec<String>,
}

impl Proposer<'_> {
    fn head(&mut self, name: &str, surveys: &[FileSurvey]) {
        self.text.line(&format!("#:schema {JOB_SCHEMA_FILE}"));
        self.text.comment(
            "Proposed from what was seen in the files. Every line can be changed; lines that begin with # do nothing.",
        );
        self.text.comment("Look first: pebblebank run THIS_FILE --dry-run");
        self.text.comment("An editor that knows JSON Schemas completes and checks this file after:");
        self.text.comment(&format!("pebblebank schema job -o {JOB_SCHEMA_FILE}"));
        for skipped in surveys.iter().filter(|survey| survey.is_receipt) {
            self.text.comment(&format!("Left out, since an earlier run wrote it aside: {}", skipped.file));
        }
        self.text.line("");
        self.text.line("[job]");
        let name = quoted(name);
        self.text.line(&format!("name = {name}"));
        self.text.line("");
    }

    fn name_of(&mut self, stem: &str) -> String {
        let base = stem.replace(['-', '_', '.'], " ");
        let base = base.split_whitespace().collect::<Vec<_>>().join(" ");
        let base = if base.is_empty() { "source".to_owned() } else { base };
        let mut name = base.clone();
        let mut number = 2;
        while !self.names.insert(name.to_lowercase()) {
            name = format!("{base} {number}");
            number += 1;
        }
        name
    }

    fn source(&mut self, group: &[&FileSurvey]) {
        let stems: Vec<String> = group.iter().map(|survey| stem_of(&survey.path)).collect();
        let name = self.name_of(&common_stem(&stems));
        let files: Vec<String> = group.iter().map(|survey| relative(&survey.path, self.folder)).collect();
        let first_source = self.parts.is_empty();
        self.text.line("[[source]]");
        if first_source {
            self.text.comment("sources stand in order of trust: of two copies of a person the first read is kept");
        }
        let rows: u64 = group.iter().map(|survey| survey.rows).sum();
        self.text.comment(&format!("{}; {rows} rows", how_read(group[0])));
        self.text.line(&format!("name = {}", quoted(&name)));
        self.files(&files);
        self.reading(group[0]);
        self.open_questions.extend(write_columns(&mut self.text, group[0], &name));
        self.text.line("");
        self.parts.push(ProposedPart { name, files, reason: None, because: String::new() });
    }

    fn list(&mut self, survey: &FileSurvey, reason: Reason, because: &str) {
        let name = self.name_of(&stem_of(&survey.path));
        let files = vec![relative(&survey.path, self.folder)];
        self.text.line("[[suppress]]");
        self.text.comment(&format!(
            "taken for people who must not be contacted, since {because}; {} rows, {}",
            survey.rows,
            how_read(survey)
        ));
        let is_first_list = self.parts.iter().all(|part| part.reason.is_none());
        self.text.line(&format!("name = {}", quoted(&name)));
        self.files(&files);
        self.text.line(&format!("reason = {}", quoted(reason.name())));
        if is_first_list {
            self.text.comment(&format!("or one of {}", Reason::FOR_LISTS.map(Reason::name).join(", ")));
        }
        self.reading(survey);
        self.open_questions.extend(write_columns(&mut self.text, survey, &name));
        self.text.line("");
        self.parts.push(ProposedPart { name, files, reason: Some(reason), because: because.to_owned() });
    }

    fn files(&mut self, files: &[String]) {
        if let [only] = files {
            self.text.line(&format!("files = [{}]", quoted(only)));
            return;
        }
        self.text.line("files = [");
        for file in files {
            self.text.line(&format!("  {},", quoted(file)));
        }
        self.text.line("]");
    }

    /// What was taken, and could be otherwise.
    fn reading(&mut self, survey: &FileSurvey) {
        if let (true, Some(encoding)) = (survey.encoding_is_guessed, survey.encoding) {
            self.text.line(&format!("encoding = {}  # guessed by the letters that occur", quoted(encoding)));
        }
        if let Some(sheet) = &survey.sheet {
            self.text.line(&format!("sheet = {}", quoted(sheet)));
        }
    }

    fn rest(&mut self, name: &str, template: Option<&Template>, contacts: &[&FileSurvey]) {
        let has = |field: Field| {
            let feeds = |column: &ColumnSurvey| column.field == Some(field.name()) && column.filled > 0;
            contacts.iter().any(|survey| survey.columns.iter().any(feeds))
        };
        self.text.line("[person]");
        self.text.line("same = [\"email\"]  # what makes two rows one person");
        self.text.line("");
        self.text.line("[require]");
        self.text.line("fields = [\"email\"]  # rows without are set aside");
        if has(Field::Consent) {
            self.text.line(
                "# consent = \"opted-in\"  # only those who said yes; unless said, those who said nothing pass too",
            );
        }
        self.text.line("");
        self.text.line("[guard]");
        self.text.line(
            "# set_aside_at_most = \"40%\"  # stops the run before anything is written, if more would be set aside",
        );
        self.text.line("");
        self.text.line("[[write]]");
        let format = template.and_then(|template| template.layout.form.format).unwrap_or(FileFormat::Csv);
        self.text.line(&format!("file = {}", quoted(&format!("{}-{{date}}.{}", file_name(name), format.name()))));
        self.text.line("layout = \"import\"");
        self.text.line("");
        self.text.comment(
            "the columns of the import file, in order: the names that the sending service expects, and what fills them",
        );
        self.text.line("[layout.import]");
        if let Some(template) = template {
            return layout_text::write_layout(&mut self.text, template);
        }
        self.text.line("columns = [");
        self.text.line("  { name = \"email\", from = \"email\", required = true },");
        let has_name = |field: Field| match field {
            Field::FirstName | Field::LastName => has(field) || has(Field::FullName),
            Field::FullName => false,
            field => has(field),
        };
        let left_out = [Field::Email, Field::Consent, Field::Notes];
        for field in Field::ALL.into_iter().filter(|field| !left_out.contains(field) && has_name(*field)) {
            let field = field.name();
            self.text.line(&format!("  {{ name = {}, from = {} }},", quoted(field), quoted(field)));
        }
        self.text.line("]");
    }
}

fn how_read(survey: &FileSurvey) -> String {
    let mut text = survey.format.to_owned();
    if let Some(packed) = survey.packed {
        let _ = write!(text, " in {packed}");
    }
    for part in [survey.delimiter, survey.encoding].into_iter().flatten() {
        let _ = write!(text, ", {part}");
    }
    text
}

/// A name for the import file: small letters, digits and hyphens.
fn file_name(name: &str) -> String {
    let name = fold(name).replace(' ', "-");
    if name.is_empty() { "import".to_owned() } else { name }
}
