//! Columns that nobody named and that may say who must not be contacted: understood for certain, or asked about.

use super::consent;
use super::consent::Judged;
use crate::columns::consent::ValuesSay;
use crate::columns::map::OpenConsent;
use crate::columns::mapper::Mapper;
use crate::columns::wishes::ConsentQuestions;
use pebblebank_table::error::closest;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;

impl Mapper<'_> {
    /// Judges the columns that nobody mapped: which of them say who must not be contacted.
    pub fn judge_consent(&mut self) -> Result<()> {
        let mut subjects: Vec<(ColumnIndex, Vec<String>)> = Vec::new();
        for index in 0..self.map.width() {
            let column = ColumnIndex(index);
            if self.is_not_consent(column) || self.map.watched.contains(&column) {
                continue;
            }
            if self.taken[index] {
                self.judge_recognised(column);
                continue;
            }
            let values = self.values_say(column);
            let header = if self.file.table.has_header { self.map.header(column).to_owned() } else { String::new() };
            let judged = match consent::judge(&header, &values) {
                Judged::Nothing if self.file.found_consent.contains(&column) => {
                    Judged::Consent { yes_means: consent::direction_of(&header), by_values: true }
                }
                judged => judged,
            };
            match judged {
                Judged::Nothing => {
                    if values.filled == 0 || values.are_few() {
                        self.map.watched.push(column);
                    }
                }
                Judged::OtherChannel => {
                    let text = format!("\"{header}\" is about another channel than e-mail, and travels along");
                    self.findings.push(Finding::new("other-channel", Weight::Note, text).in_column(&header));
                }
                Judged::Open => self.map.open_consents.push(OpenConsent { column, values: values.shown() }),
                Judged::Consent { yes_means, by_values } => {
                    if yes_means == Some(YesMeans::OptedIn) && values.needs_direction() {
                        subjects.push((column, consent::subject(&header)));
                    }
                    self.take_consent(column, yes_means);
                    if values.filled > 0 {
                        self.say_consent(column, yes_means, by_values, &values);
                    }
                }
            }
        }
        self.ask_about_subjects(&subjects);
        self.ask()
    }

    /// Words of a subscription under a header of something else, "State" or "Group": the words decide, unless the job
    /// named the column.
    fn judge_recognised(&mut self, column: ColumnIndex) {
        let Some(field) = self.map.field_of(column) else { return };
        let named = self.file.wishes.headers.contains_key(&field);
        let is_own = self.map.own.iter().any(|(own, _)| *own == column);
        if named || is_own || matches!(field, Field::Email | Field::Consent) {
            return;
        }
        let values = self.values_say(column);
        if values.filled == 0 && !self.file.found_consent.contains(&column) {
            self.map.watched.push(column);
            return;
        }
        let judged = consent::judge("", &values);
        if !matches!(judged, Judged::Consent { .. } | Judged::Open) && !self.file.found_consent.contains(&column) {
            return;
        }
        let second = self.map.second_choices[field as usize].take();
        if self.map.column(field) == Some(column) {
            self.map.fields[field as usize] = None;
            if let Some(second) = second {
                self.take(field, second);
            }
        }
        if judged == Judged::Open {
            self.taken[column.0] = false;
            self.map.open_consents.push(OpenConsent { column, values: values.shown() });
        } else {
            self.take_consent(column, None);
            self.say_consent(column, None, true, &values);
        }
    }

    fn say_consent(&mut self, column: ColumnIndex, yes_means: Option<YesMeans>, by_values: bool, values: &ValuesSay) {
        let header = self.map.header(column).to_owned();
        let reading = match yes_means {
            _ if !values.needs_direction() => "its words say who opted out",
            Some(YesMeans::OptedIn) => "yes is an opt-in, no an opt-out",
            Some(YesMeans::OptedOut) => "yes, a tick or a date is an opt-out",
            None => "its words say who opted out",
        };
        let why = if by_values { "by its values" } else { "by its header" };
        let what = format!("\"{header}\" was taken for consent {why}: {reading} ({})", values.shown());
        let text = format!("{what}; --opt-in, --opt-out or --not-consent \"{header}\" says otherwise");
        let in_job = format!("{what}; opt_in, opt_out or not_consent = [\"{header}\"] says otherwise");
        let finding = Finding::new("consent-column", Weight::Warning, text).or_in_job(in_job);
        self.findings.push(finding.in_column(header));
    }

    /// Opt-ins to different things: which of them this mailing is about, only the user knows.
    fn ask_about_subjects(&mut self, subjects: &[(ColumnIndex, Vec<String>)]) {
        let named: Vec<_> = subjects.iter().filter(|(_, subject)| !subject.is_empty()).collect();
        let differ = named.windows(2).any(|pair| pair[0].1 != pair[1].1);
        if !differ {
            return;
        }
        for (column, _) in named {
            self.map.consents.retain(|known| known.column != *column);
            if self.map.column(Field::Consent) == Some(*column) {
                self.map.fields[Field::Consent as usize] = self.map.consents.first().map(|known| known.column);
            }
            self.taken[column.0] = false;
            let header = self.map.header(*column).to_owned();
            self.findings
                .retain(|finding| finding.code != "consent-column" || finding.column.as_ref() != Some(&header));
            let values = self.values_say(*column).shown();
            self.map.open_consents.push(OpenConsent { column: *column, values });
        }
    }

    /// Asks about the columns that leave several readings; stops where a wrong one would write to people.
    fn ask(&mut self) -> Result<()> {
        let Some(first) = self.map.open_consents.first() else { return Ok(()) };
        let questions =
            self.map.open_consents.iter().map(|open| (self.map.header(open.column).to_owned(), &open.values));
        let questions: Vec<(String, &String)> = questions.collect();
        if self.file.consent_questions == ConsentQuestions::Stop {
            let header = questions[0].0.clone();
            let others = questions.len() - 1;
            let more = if others == 0 {
                String::new()
            } else {
                let names: Vec<String> =
                    questions[1..].iter().take(4).map(|(header, _)| format!("\"{header}\"")).collect();
                format!("; the same is open for {}", names.join(", "))
            };
            let what = format!("this column may say who must not be contacted, and it is not clear how{more}");
            let answers = &self.file.wishes;
            let answered = answers.opt_in.iter().chain(&answers.opt_out).chain(&answers.not_consent);
            let elsewhere = answered.filter(|named| self.map.headers.column(&fold(named)).is_none());
            let mistyped = elsewhere.into_iter().find(|named| closest(named, [header.as_str()]).is_some());
            let meant = mistyped
                .map_or_else(String::new, |named| format!("did you mean \"{header}\" by \"{named}\"? If not, "));
            let [advice, in_job] = how_to_answer(&header).map(|answers| format!("{meant}{answers}"));
            return Err(Error::new(ErrorKind::Question, what, advice)
                .or_in_job(in_job)
                .in_file(self.file.path)
                .in_column(&header)
                .expected(format!("an answer to what its values mean: {}", first.values)));
        }
        for (header, values) in questions {
            let what = format!("\"{header}\" may say who must not be contacted, and it is not clear how ({values})");
            let text = format!("{what}: --opt-in, --opt-out or --not-consent \"{header}\"");
            let in_job = format!("{what}: opt_in, opt_out or not_consent = [\"{header}\"]");
            let finding = Finding::new("open-consent", Weight::Warning, text).or_in_job(in_job);
            self.findings.push(finding.in_column(header));
        }
        Ok(())
    }
}

/// How the user says what a column about consent means: as options, and as keys of a source.
pub fn how_to_answer(header: &str) -> [String; 2] {
    [
        format!(
            "say what it is: --opt-in \"{header}\" (a yes may be contacted), --opt-out \"{header}\" (a yes must not be), or --not-consent \"{header}\""
        ),
        format!(
            "say what it is: opt_in = [\"{header}\"] (a yes may be contacted), opt_out = [\"{header}\"] (a yes must not be), or not_consent = [\"{header}\"]"
        ),
    ]
}
