//! From what a survey saw to a job file, with comments that say what was seen and what can be changed.

use super::survey::column::{ColumnSurvey, Feeds, Recognised};
use super::survey::found::FileSurvey;
use crate::suppress::reason::Reason;
use pebblebank_values::Field;
use pebblebank_values::fold::fold;
use std::collections::HashSet;
use std::fmt::Write;
use std::path::{Component, Path, PathBuf};

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

/// Words in the names of files of people who must not be contacted, with the reason that they tell; the first that
/// occurs counts. Folded, in seven languages.
const LIST_NAMES: [(&str, Reason); 43] = [
    ("complain", Reason::Complained),
    ("complaint", Reason::Complained),
    ("abuse", Reason::Complained),
    ("spam", Reason::Complained),
    ("beschwerde", Reason::Complained),
    ("bounce", Reason::Bounced),
    ("undeliver", Reason::Bounced),
    ("unzustellbar", Reason::Bounced),
    ("rebond", Reason::Bounced),
    ("rebote", Reason::Bounced),
    ("unsub", Reason::OptedOut),
    ("opt out", Reason::OptedOut),
    ("optout", Reason::OptedOut),
    ("opted out", Reason::OptedOut),
    ("opt outs", Reason::OptedOut),
    ("abgemeldet", Reason::OptedOut),
    ("abmeldung", Reason::OptedOut),
    ("desabon", Reason::OptedOut),
    ("desinscri", Reason::OptedOut),
    ("bajas", Reason::OptedOut),
    ("disiscri", Reason::OptedOut),
    ("uitgeschreven", Reason::OptedOut),
    ("afgemeld", Reason::OptedOut),
    ("cancelad", Reason::OptedOut),
    ("do not", Reason::DoNotContact),
    ("dont", Reason::DoNotContact),
    ("donot", Reason::DoNotContact),
    ("dnc", Reason::DoNotContact),
    ("suppress", Reason::DoNotContact),
    ("exclu", Reason::DoNotContact),
    ("blocked", Reason::DoNotContact),
    ("blocklist", Reason::DoNotContact),
    ("no contact", Reason::DoNotContact),
    ("sperrliste", Reason::DoNotContact),
    ("gesperrt", Reason::DoNotContact),
    ("keine werbung", Reason::DoNotContact),
    ("ne pas", Reason::DoNotContact),
    ("no contactar", Reason::DoNotContact),
    ("niet mailen", Reason::DoNotContact),
    ("already", Reason::AlreadySent),
    ("invited", Reason::AlreadySent),
    ("mailed", Reason::AlreadySent),
    ("sent", Reason::AlreadySent),
];

/// Proposes a job called `name` whose file lies in `folder`.
pub fn propose(surveys: &[FileSurvey], name: &str, folder: &Path) -> Proposal {
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
        let by_content = |(_, _, because): &(&FileSurvey, Reason, String)| because.starts_with("it holds only");
        if let Some(place) = lists.iter().position(by_content).or(if lists.is_empty() { None } else { Some(0) }) {
            contacts.push(lists.remove(place).0);
        }
    }
    let mut proposer =
        Proposer { folder, text: String::new(), names: HashSet::new(), parts: Vec::new(), open_questions: Vec::new() };
    proposer.head(name, surveys);
    for group in of_same_shape(&contacts) {
        proposer.source(&group);
    }
    for (survey, reason, because) in &lists {
        proposer.list(survey, *reason, because);
    }
    proposer.rest(name, &contacts);
    Proposal { text: proposer.text, parts: proposer.parts, open_questions: proposer.open_questions }
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

/// Whether a file is one of people who must not be contacted, and why it is taken for one.
fn looks_like_list(survey: &FileSurvey) -> Option<(Reason, String)> {
    let stem = stem_of(&survey.path);
    let folded = format!(" {} ", fold(&stem));
    let says = |word: &str| folded.contains(&format!(" {word}")) || (word.len() > 5 && folded.contains(word));
    if let Some((_, reason)) = LIST_NAMES.iter().find(|(word, _)| says(word)) {
        return Some((*reason, "its name says so".to_owned()));
    }
    let consent = survey.columns.iter().find_map(|column| column.consent.as_ref());
    if let Some(words) = consent {
        let most = |count: u64| count * 10 >= survey.rows * 9 && count > 0;
        if most(words.opted_out) {
            return Some((Reason::OptedOut, "nearly all its contacts are opted out".to_owned()));
        }
        if most(words.bounced) {
            return Some((Reason::Bounced, "nearly all its contacts are bounced".to_owned()));
        }
        if most(words.complained) {
            return Some((Reason::Complained, "nearly all its contacts complained".to_owned()));
        }
    }
    let is_a_domain_list = survey.domain_entries * 10 > survey.rows && survey.domain_entries > 0;
    if survey.only_addresses || is_a_domain_list {
        return Some((Reason::DoNotContact, "it holds only addresses or domains".to_owned()));
    }
    None
}

fn stem_of(path: &Path) -> String {
    let mut name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    for packing in [".gz", ".zst"] {
        if let Some(stripped) = name.strip_suffix(packing) {
            name = stripped.to_owned();
        }
    }
    name.rsplit_once('.').map_or(name.clone(), |(stem, _)| stem.to_owned())
}

/// Writes the job file, part by part.
struct Proposer<'a> {
    folder: &'a Path,
    text: String,
    names: HashSet<String>,
    parts: Vec<ProposedPart>,
    open_questions: Vec<String>,
}

impl Proposer<'_> {
    fn line(&mut self, line: &str) {
        self.text.push_str(line.trim_end());
        self.text.push('\n');
    }

    /// A comment, broken into lines of at most 110 characters.
    fn comment(&mut self, text: &str) {
        const MOST: usize = 108;
        let mut line = String::from("#");
        // What stands in quotes is not broken.
        let mut is_quoted = false;
        let is_end = |c: char| {
            is_quoted ^= c == '"';
            c == ' ' && !is_quoted
        };
        for word in text.split(is_end).filter(|word| !word.is_empty()) {
            if line.chars().count() + 1 + word.chars().count() > MOST && line.len() > 1 {
                self.line(&line);
                line = String::from("#  ");
            }
            line.push(' ');
            line.push_str(word);
        }
        self.line(&line);
    }

    fn head(&mut self, name: &str, surveys: &[FileSurvey]) {
        self.comment(
            "Proposed from what was seen in the files. Every line can be changed; lines that begin with # do nothing.",
        );
        self.comment("Look first: pebblebank run THIS_FILE --dry-run");
        for skipped in surveys.iter().filter(|survey| survey.is_receipt) {
            self.comment(&format!("Left out, since an earlier run wrote it aside: {}", skipped.file));
        }
        self.line("");
        self.line("[job]");
        let name = quoted(name);
        self.line(&format!("name = {name}"));
        self.line("");
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
        self.line("[[source]]");
        if first_source {
            self.comment("sources stand in order of trust: of two copies of a person the first read is kept");
        }
        let rows: u64 = group.iter().map(|survey| survey.rows).sum();
        self.comment(&format!("{}; {rows} rows", how_read(group[0])));
        self.line(&format!("name = {}", quoted(&name)));
        self.files(&files);
        self.reading(group[0]);
        self.columns(group[0], &name);
        self.line("");
        self.parts.push(ProposedPart { name, files, reason: None, because: String::new() });
    }

    fn list(&mut self, survey: &FileSurvey, reason: Reason, because: &str) {
        let name = self.name_of(&stem_of(&survey.path));
        let files = vec![relative(&survey.path, self.folder)];
        self.line("[[suppress]]");
        self.comment(&format!(
            "taken for people who must not be contacted, since {because}; {} rows, {}",
            survey.rows,
            how_read(survey)
        ));
        let is_first_list = self.parts.iter().all(|part| part.reason.is_none());
        self.line(&format!("name = {}", quoted(&name)));
        self.files(&files);
        self.line(&format!("reason = {}", quoted(reason.name())));
        if is_first_list {
            self.comment(&format!("or one of {}", Reason::FOR_LISTS.map(Reason::name).join(", ")));
        }
        self.reading(survey);
        self.columns(survey, &name);
        self.line("");
        self.parts.push(ProposedPart { name, files, reason: Some(reason), because: because.to_owned() });
    }

    fn files(&mut self, files: &[String]) {
        if let [only] = files {
            self.line(&format!("files = [{}]", quoted(only)));
            return;
        }
        self.line("files = [");
        for file in files {
            self.line(&format!("  {},", quoted(file)));
        }
        self.line("]");
    }

    /// What was taken, and could be otherwise.
    fn reading(&mut self, survey: &FileSurvey) {
        if let (true, Some(encoding)) = (survey.encoding_is_guessed, survey.encoding) {
            self.line(&format!("encoding = {}  # guessed by the letters that occur", quoted(encoding)));
        }
        if let Some(sheet) = &survey.sheet {
            self.line(&format!("sheet = {}", quoted(sheet)));
        }
    }

    fn columns(&mut self, survey: &FileSurvey, name: &str) {
        let by = |recognised: Recognised| {
            survey.columns.iter().filter(move |column| column.recognised == recognised && column.feeds == Feeds::Field)
        };
        let by_header: Vec<String> = by(Recognised::ByHeader).filter_map(pair).collect();
        if !by_header.is_empty() {
            self.comment(&format!("recognised by their headers: {}", by_header.join(", ")));
        }
        let mut guessed: Vec<String> = by(Recognised::ByValues)
            .chain(by(Recognised::Said))
            .filter(|column| column.has_header)
            .filter_map(pair)
            .collect();
        let asks = |code: &str| {
            survey
                .findings
                .iter()
                .chain(survey.columns.iter().flat_map(|column| &column.findings))
                .any(|finding| finding.code == code)
        };
        if asks("several-address-columns") {
            let addresses: Vec<String> = survey
                .columns
                .iter()
                .filter(|column| column.field == Some(Field::Email.name()))
                .map(|column| quoted(&column.header))
                .collect();
            guessed.clear();
            self.comment(&format!("DECIDE: which column holds the contact's address? One of {}", addresses.join(", ")));
            self.line("# columns = { email = \"…\" }");
            self.open_questions.push(format!("{name}: which column holds the contact's address"));
        }
        let is_open = |column: &&ColumnSurvey| {
            let is_date = column.field.and_then(Field::from_name).is_some_and(Field::is_date);
            let codes = ["open-date-order", "mixed-date-orders"];
            is_date && column.findings.iter().any(|finding| codes.contains(&finding.code))
        };
        if let Some(column) = survey.columns.iter().find(is_open) {
            let header = quoted(&column.header);
            self.comment(&format!("DECIDE: in {header}, does the day come first (dmy) or the month (mdy)?"));
            self.line("# date_order = \"dmy\"");
            self.open_questions.push(format!("{name}: whether the day or the month comes first in {header}"));
        }
        if !guessed.is_empty() {
            self.line(&format!("columns = {{ {} }}  # by their values", guessed.join(", ")));
        }
        let of_code = |code: &str| {
            let all = survey.findings.iter().chain(survey.columns.iter().flat_map(|column| &column.findings));
            all.filter(|finding| finding.code == code).filter_map(|finding| finding.column.clone()).collect::<Vec<_>>()
        };
        let mut open = of_code("open-consent");
        open.extend(of_code("yes-to-what"));
        open.dedup();
        for header in &open {
            let header = quoted(header);
            self.comment(&format!(
                "DECIDE: does a yes in {header} mean that the person may be contacted (opt_in), must not be (opt_out), or neither (not_consent)?"
            ));
            self.line(&format!("# opt_in = [{header}]"));
            self.open_questions.push(format!("{name}: what {header} says about who may be contacted"));
        }
        let guessed: Vec<String> = of_code("consent-column").iter().map(|header| quoted(header)).collect();
        if !guessed.is_empty() {
            self.comment(&format!(
                "about consent, by header and values: {}; not_consent = [\"…\"] says otherwise",
                guessed.join(", ")
            ));
        }
        for column in survey.columns.iter().filter(|column| column.feeds == Feeds::SecondChoice) {
            if let Some(field) = column.field {
                self.comment(&format!("\"{}\" stands in where {field} is blank", column.header));
            }
        }
        let extra: Vec<String> = survey
            .columns
            .iter()
            .filter(|column| column.feeds == Feeds::Nothing && column.filled > 0)
            .map(|column| format!("\"{}\" ({})", column.header, column.reason))
            .collect();
        if !extra.is_empty() {
            self.comment(&format!("travel along as they are: {}", shortened(&extra)));
        }
    }

    fn rest(&mut self, name: &str, contacts: &[&FileSurvey]) {
        let has = |field: Field| {
            let feeds = |column: &ColumnSurvey| column.field == Some(field.name()) && column.filled > 0;
            contacts.iter().any(|survey| survey.columns.iter().any(feeds))
        };
        self.line("[person]");
        self.line("same = [\"email\"]  # what makes two rows one person");
        self.line("");
        self.line("[require]");
        self.line("fields = [\"email\"]  # rows without are set aside");
        if has(Field::Consent) {
            self.line(
                "# consent = \"opted-in\"  # only those who said yes; unless said, those who said nothing pass too",
            );
        }
        self.line("");
        self.line("[guard]");
        self.line(
            "# set_aside_at_most = \"40%\"  # stops the run before anything is written, if more would be set aside",
        );
        self.line("");
        self.line("[[write]]");
        self.line(&format!("file = {}", quoted(&format!("{}-{{date}}.csv", file_name(name)))));
        self.line("layout = \"import\"");
        self.line("");
        self.comment(
            "the columns of the import file, in order: the names that the sending service expects, and what fills them",
        );
        self.line("[layout.import]");
        self.line("columns = [");
        self.line("  { name = \"email\", from = \"email\", required = true },");
        let has_name = |field: Field| match field {
            Field::FirstName | Field::LastName => has(field) || has(Field::FullName),
            Field::FullName => false,
            field => has(field),
        };
        let left_out = [Field::Email, Field::Consent, Field::Notes];
        for field in Field::ALL.into_iter().filter(|field| !left_out.contains(field) && has_name(*field)) {
            let field = field.name();
            self.line(&format!("  {{ name = {}, from = {} }},", quoted(field), quoted(field)));
        }
        self.line("]");
    }
}

fn pair(column: &ColumnSurvey) -> Option<String> {
    column.field.map(|field| format!("{field} = {}", quoted(&column.header)))
}

fn shortened(texts: &[String]) -> String {
    const MOST: usize = 12;
    let mut text = texts.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
    if texts.len() > MOST {
        let _ = write!(text, " and {} more", texts.len() - MOST);
    }
    text
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

/// What the names of several files have in common, without a number or date at the end.
fn common_stem(stems: &[String]) -> String {
    let Some(first) = stems.first() else { return String::new() };
    if stems.len() == 1 {
        return first.clone();
    }
    let common = |text: &str, other: &String| {
        text.chars().zip(other.chars()).take_while(|(a, b)| a == b).map(|(a, _)| a).collect::<String>()
    };
    let shared = stems[1..].iter().fold(first.clone(), |shared, stem| common(&shared, stem));
    let shared = shared.trim_end_matches(|c: char| c.is_ascii_digit() || matches!(c, '-' | '_' | ' ' | '.'));
    if shared.chars().count() < 3 { first.clone() } else { shared.to_owned() }
}

/// A name for the import file: small letters, digits and hyphens.
fn file_name(name: &str) -> String {
    let name = fold(name).replace(' ', "-");
    if name.is_empty() { "import".to_owned() } else { name }
}

/// The path as it is written in a job file in `folder`.
fn relative(path: &Path, folder: &Path) -> String {
    let absolute = |path: &Path| {
        let path = if path.as_os_str().is_empty() { Path::new(".") } else { path };
        std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf())
    };
    let (path, folder) = (absolute(path), absolute(folder));
    let clean = |path: &Path| {
        let mut parts: Vec<Component> = Vec::new();
        for part in path.components() {
            match part {
                Component::CurDir => {}
                Component::ParentDir if matches!(parts.last(), Some(Component::Normal(_))) => {
                    parts.pop();
                }
                part => parts.push(part),
            }
        }
        parts.iter().map(|part| part.as_os_str().to_owned()).collect::<Vec<_>>()
    };
    let (to, from) = (clean(&path), clean(&folder));
    let shared = to.iter().zip(&from).take_while(|(a, b)| a == b).count();
    // Far apart, the whole path is easier to read.
    if from.len() - shared > 3 || shared <= 1 {
        return path.display().to_string();
    }
    let up = std::iter::repeat_n(std::ffi::OsString::from(".."), from.len() - shared);
    up.chain(to[shared..].iter().cloned()).collect::<PathBuf>().display().to_string()
}

/// A basic string of TOML.
fn quoted(text: &str) -> String {
    let mut quoted = String::with_capacity(text.len() + 2);
    quoted.push('"');
    for c in text.chars() {
        match c {
            '"' => quoted.push_str("\\\""),
            '\\' => quoted.push_str("\\\\"),
            '\n' => quoted.push_str("\\n"),
            '\t' => quoted.push_str("\\t"),
            '\r' => quoted.push_str("\\r"),
            c if c.is_control() => {
                let _ = write!(quoted, "\\u{:04X}", c as u32);
            }
            c => quoted.push(c),
        }
    }
    quoted.push('"');
    quoted
}
