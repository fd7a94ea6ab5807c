//! Going through the pairs of a receipt that are likely one person, one by one.
//!
//! A session knows where it is and what was answered; after each answer the file of decisions is written anew, so that
//! nothing is lost however it ends.

use crate::person::decisions::{Decision, Decisions, Named, Verdict};
use crate::run::decide::near_duplicates::REVIEW;
use crate::run::write::people_index;
use pebblebank_table::saved_table::rows;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::identity::stable_digest;
use std::path::{Path, PathBuf};

/// One of the two rows of a pair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReviewRow {
    /// How a decision names the person; none where nothing names it.
    pub named: Option<Named>,
    /// Why the person must not be contacted; empty for those who may be.
    pub standing: String,
    /// The source, the file and the row.
    pub place: [String; 3],
    /// The values, by column.
    pub values: Vec<String>,
}

/// Two rows that are likely one person.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair {
    /// From 0 to 100.
    pub score: String,
    /// What speaks for it, and against.
    pub why: String,
    /// The two.
    pub rows: [ReviewRow; 2],
}

/// What is answered about a pair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    /// One person.
    Same,
    /// Two.
    Different,
    /// Not now.
    Later,
    /// One of the rows, from 0, is not to be written.
    TakeOut {
        /// Which.
        which: usize,
        /// Why.
        note: String,
    },
}

/// What was answered so far.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Answered {
    /// Pairs that are one person.
    pub same: u64,
    /// Pairs that are two.
    pub different: u64,
    /// Rows taken out.
    pub taken_out: u64,
    /// Pairs left for later.
    pub later: u64,
}

/// A review under way.
pub struct Session {
    /// The columns of the rows.
    pub columns: Vec<String>,
    pairs: Vec<Pair>,
    at: usize,
    /// Pairs that were decided before.
    pub decided_before: u64,
    decisions: Decisions,
    file: PathBuf,
    day: String,
    /// The answers of this session: the pair's place, and whether it added a decision.
    answers: Vec<(usize, Answer)>,
}

impl Session {
    /// Begins to go through the pairs of `receipt`; decisions are kept in `file`.
    pub fn open(receipt: &Path, file: &Path, day: &str) -> Result<Session> {
        if !receipt.join("tally.json").is_file() {
            let what = "this is not a receipt";
            let advice = "name the folder that a run left, whose name ends with .receipt";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(receipt));
        }
        let (columns, all) = read_pairs(&receipt.join("review.csv"))?;
        let decisions = Decisions::read(file)?.unwrap_or_default();
        let in_all = all.len();
        let is_open = |pair: &Pair| match &pair.rows {
            [ReviewRow { named: Some(a), .. }, ReviewRow { named: Some(b), .. }] => !decisions.decides(a, b),
            _ => true,
        };
        let pairs: Vec<Pair> = all.into_iter().filter(is_open).collect();
        Ok(Session {
            columns,
            decided_before: (in_all - pairs.len()) as u64,
            pairs,
            at: 0,
            decisions,
            file: file.to_path_buf(),
            day: day.to_owned(),
            answers: Vec::new(),
        })
    }

    /// The pair that is asked about, its number, and how many there are; none after the last.
    pub fn pair(&self) -> Option<(&Pair, usize, usize)> {
        self.pairs.get(self.at).map(|pair| (pair, self.at + 1, self.pairs.len()))
    }

    /// Whether the pair can be decided: both rows have something to name them by.
    pub fn can_decide(&self) -> bool {
        self.pairs.get(self.at).is_some_and(|pair| pair.rows.iter().all(|row| row.named.is_some()))
    }

    /// Keeps an answer, and goes on to the next pair unless a row alone was taken out. False where the pair, or the row,
    /// cannot be named.
    pub fn answer(&mut self, answer: Answer) -> Result<bool> {
        let Some(pair) = self.pairs.get(self.at) else { return Ok(false) };
        let [first, second] = &pair.rows;
        let decision = |verdict, person: &Named, other: Option<&Named>, note: &str| Decision {
            verdict,
            person: person.clone(),
            other: other.cloned(),
            note: note.to_owned(),
            day: self.day.clone(),
            line: 0,
        };
        let made = match (&answer, &first.named, &second.named) {
            (Answer::Later, ..) => None,
            (Answer::Same, Some(a), Some(b)) => Some(decision(Verdict::Same, a, Some(b), "")),
            (Answer::Different, Some(a), Some(b)) => Some(decision(Verdict::Different, a, Some(b), "")),
            (Answer::TakeOut { which, note }, ..) => match &pair.rows[*which].named {
                Some(named) => Some(decision(Verdict::TakeOut, named, None, note)),
                None => return Ok(false),
            },
            (Answer::Same | Answer::Different, ..) => return Ok(false),
        };
        if let Some(made) = made {
            self.decisions.all.push(made);
            if let Err(error) = self.decisions.checked().and_then(|()| self.decisions.write(&self.file)) {
                self.decisions.all.pop();
                return Err(error);
            }
        }
        self.answers.push((self.at, answer));
        self.at += 1;
        Ok(true)
    }

    /// Takes the last answer of this session back; false where there is none.
    pub fn undo(&mut self) -> Result<bool> {
        let Some((at, answer)) = self.answers.pop() else { return Ok(false) };
        self.at = at;
        if answer != Answer::Later {
            self.decisions.all.pop();
            self.decisions.write(&self.file)?;
        }
        Ok(true)
    }

    /// What was answered in this session.
    pub fn answered(&self) -> Answered {
        let mut answered = Answered::default();
        for (_, answer) in &self.answers {
            match answer {
                Answer::Same => answered.same += 1,
                Answer::Different => answered.different += 1,
                Answer::Later => answered.later += 1,
                Answer::TakeOut { .. } => answered.taken_out += 1,
            }
        }
        answered
    }

    /// How many pairs are still to be looked at.
    pub fn left(&self) -> usize {
        self.pairs.len() - self.at
    }
}

/// The pairs of a `review.csv`, two rows each.
fn read_pairs(path: &Path) -> Result<(Vec<String>, Vec<Pair>)> {
    let bytes = std::fs::read(path).map_err(|cause| {
        if cause.kind() == std::io::ErrorKind::NotFound {
            let what = "there is no review.csv in this receipt";
            let advice = "name the folder that a run left, such as out/spring-fair-invitation.receipt";
            Error::new(ErrorKind::Input, what, advice).in_file(path)
        } else {
            Error::unreadable(path, &cause)
        }
    })?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let rows = rows(&text);
    let Some(((_, header), rows)) = rows.split_first() else { return Ok((Vec::new(), Vec::new())) };
    let own = REVIEW.len();
    if header.get(..own).is_none_or(|begin| begin != REVIEW) {
        let what = "this is no list of pairs of this program";
        return Err(Error::new(ErrorKind::Input, what, "run the job again to make it anew").in_file(path));
    }
    let row = |cells: &Vec<String>| {
        let cell = |place: usize| cells.get(place).cloned().unwrap_or_default();
        ReviewRow {
            named: Named::parse(&cell(3)),
            standing: cell(4),
            place: [cell(5), cell(6), cell(7)],
            values: cells.get(own..).unwrap_or_default().to_vec(),
        }
    };
    let pair = |both: &[(usize, Vec<String>)]| match both {
        [(_, a), (_, b)] if a.first() == b.first() => {
            Some(Pair { score: a[1].clone(), why: a[2].clone(), rows: [row(a), row(b)] })
        }
        _ => None,
    };
    Ok((header[own..].to_vec(), rows.chunks(2).filter_map(pair).collect()))
}

/// Takes a person out by hand, whom some row of the run has; the next run leaves it out.
pub fn take_out(receipt: &Path, person: &str, note: &str, file: &Path, day: &str) -> Result<Named> {
    let wrong = |what: String, advice: &str| Err(Error::new(ErrorKind::Input, what, advice));
    let Some(named) = Named::parse(person) else {
        return wrong(
            format!("\"{person}\" names nobody"),
            "write an address, or a field and its value, such as \"phone = +442079460001\"",
        );
    };
    if let Named::Address(address) = &named
        && !is_in_run(receipt, address)?
    {
        return wrong(
            "nobody in this run has that address".to_owned(),
            "look for it in the files first; it may be written otherwise",
        );
    }
    let mut decisions = Decisions::read(file)?.unwrap_or_default();
    let is_out = |decision: &Decision| decision.verdict == Verdict::TakeOut && decision.person == named;
    if !decisions.all.iter().any(is_out) {
        let decision = Decision {
            verdict: Verdict::TakeOut,
            person: named.clone(),
            other: None,
            note: note.to_owned(),
            day: day.to_owned(),
            line: 0,
        };
        decisions.all.push(decision);
        decisions.write(file)?;
    }
    Ok(named)
}

/// Takes back that a person was taken out by hand; the next run judges it as it does all others. Says who it was.
pub fn take_back(person: &str, file: &Path) -> Result<Named> {
    let wrong = |what: &str, advice: &str| Err(Error::new(ErrorKind::Input, what, advice).in_file(file));
    let mut decisions = Decisions::read(file)?.unwrap_or_default();
    let named = Named::parse(person);
    let is_meant =
        |decision: &Decision| decision.verdict == Verdict::TakeOut && Some(&decision.person) == named.as_ref();
    let before = decisions.all.len();
    decisions.all.retain(|decision| !is_meant(decision));
    match named {
        Some(named) if decisions.all.len() < before => decisions.write(file).map(|()| named),
        _ => wrong("nobody of this name was taken out by hand", "the file lists who was; name one as it stands there"),
    }
}

fn is_in_run(receipt: &Path, address: &str) -> Result<bool> {
    let path = receipt.join("people.idx");
    let bytes = std::fs::read(&path).map_err(|cause| Error::unreadable(&path, &cause))?;
    let digest = stable_digest(address.as_bytes());
    Ok(people_index::read(&bytes).is_some_and(|mut people| people.any(|person| person.identity == digest)))
}
