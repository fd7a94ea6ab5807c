//! `pebblebank review RECEIPT`: likely duplicates, decided one by one.

use crate::arguments::{Review, Shared};
use crate::finish::Said;
use crate::render::harmless::for_screen;
use crate::render::{self, Screen};
use crate::setting::Now;
use console::{Key, Term};
use pebblebank_core::tasks::review::{Answer, Session, take_back, take_out};
use pebblebank_table::{Error, Result};
use std::io::{BufRead, Write};
use std::path::{Path, PathBuf};

/// Goes through the pairs, or takes one person out.
pub fn review(command: &Review, shared: &Shared) -> Result<Said, Error> {
    let day = Now::read().today;
    let named_by_job = decisions_of_job(&command.receipt);
    let is_named = named_by_job.is_some();
    let beside = || command.receipt.parent().unwrap_or(Path::new("")).join("decisions.csv");
    let file = command.decisions.clone().or(named_by_job).unwrap_or_else(beside);
    let screen = Screen::new(shared);
    if let (Some(person), Some(note)) = (&command.take_out, &command.note) {
        let named = take_out(&command.receipt, person, note, &file, &day)?;
        return Ok(Said::done(render::review::taken_out(&named.text(), &file, is_named, &screen)));
    }
    if let Some(person) = &command.take_back {
        let named = take_back(person, &file)?;
        return Ok(Said::done(render::review::taken_back(&named.text(), &file, is_named, &screen)));
    }
    let mut session = Session::open(&command.receipt, &file, &day)?;
    let mut asker = Asker::new(screen);
    while let Some((pair, number, count)) = session.pair() {
        let text = render::review::pair(&session.columns, pair, number, count, session.can_decide(), &screen);
        asker.show(&text)?;
        match asker.key()? {
            Some('s') => answer(&mut session, Answer::Same, &mut asker)?,
            Some('d') => answer(&mut session, Answer::Different, &mut asker)?,
            Some('l') => answer(&mut session, Answer::Later, &mut asker)?,
            Some('t') => {
                if let Some(taken) = asker.take_out()? {
                    answer(&mut session, taken, &mut asker)?;
                }
            }
            Some('u') => {
                if !session.undo()? {
                    asker.note("there is nothing to take back");
                }
            }
            Some('q') | None => break,
            Some(other) => asker.note(&format!("{other} is none of the keys")),
        }
    }
    asker.end()?;
    if shared.json {
        return Ok(Said::done(render::review::json(&session, &file)));
    }
    Ok(Said::done(render::review::finished(&session, &file, is_named, &screen)))
}

fn answer(session: &mut Session, answer: Answer, asker: &mut Asker) -> Result<()> {
    match session.answer(answer) {
        Ok(true) => {}
        Ok(false) => asker.note("one of the rows has nothing to name it by; correct it in its source"),
        // An answer that contradicts earlier ones is not kept, and the pair is asked about again.
        Err(error) if error.place().line.is_some() => asker.note(&format!("not kept: {}", error.what())),
        Err(error) => return Err(error),
    }
    Ok(())
}

/// The file of decisions that the job of a receipt names, if that is where it was.
fn decisions_of_job(receipt: &Path) -> Option<PathBuf> {
    let tally = std::fs::read(receipt.join("tally.json")).ok()?;
    let tally: serde_json::Value = serde_json::from_slice(&tally).ok()?;
    let file = PathBuf::from(tally["decisions"].as_str()?);
    let folder = file.parent().filter(|folder| *folder != Path::new(""));
    folder.is_none_or(Path::is_dir).then_some(file)
}

/// Shows and asks: single keys on a terminal, else a line for each answer.
struct Asker {
    screen: Screen,
    term: Option<Term>,
    note: String,
}

impl Asker {
    fn new(screen: Screen) -> Asker {
        let term = Term::stdout();
        let is_terminal = term.is_term() && std::io::IsTerminal::is_terminal(&std::io::stdin());
        Asker { screen, term: is_terminal.then_some(term), note: String::new() }
    }

    fn show(&mut self, text: &str) -> Result<()> {
        if let Some(term) = &self.term {
            // A terminal that cannot be cleared goes on below.
            let _ = term.clear_screen();
        }
        let note = std::mem::take(&mut self.note);
        let note = if note.is_empty() { note } else { format!("{note}\n\n") };
        self.print(&format!("{note}{text}"))
    }

    fn print(&self, text: &str) -> Result<()> {
        let mut stdout = std::io::stdout().lock();
        let written = stdout.write_all(for_screen(text, &self.screen).as_bytes()).and_then(|()| stdout.flush());
        written.map_err(|cause| Error::unwritable(Path::new("standard output"), &cause))
    }

    /// What is said above the next pair.
    fn note(&mut self, text: &str) {
        text.clone_into(&mut self.note);
    }

    /// The next key; none where there is nobody to press one.
    fn key(&mut self) -> Result<Option<char>> {
        match &self.term {
            Some(term) => loop {
                match term.read_key() {
                    Ok(Key::Char(key)) => return Ok(Some(key.to_ascii_lowercase())),
                    Ok(Key::Escape | Key::CtrlC) => return Ok(Some('q')),
                    Ok(_) => {}
                    Err(cause) if cause.kind() == std::io::ErrorKind::Interrupted => return Err(Error::interrupted()),
                    Err(_) => return Ok(None),
                }
            },
            None => Ok(line().and_then(|line| line.trim().chars().next())),
        }
    }

    /// Which row is taken out, and why; none where the user thinks better of it.
    fn take_out(&mut self) -> Result<Option<Answer>> {
        self.print("  take out which row, 1 or 2? (any other key: none) ")?;
        let which = match self.key()? {
            Some('1') => 0,
            Some('2') => 1,
            _ => return Ok(None),
        };
        self.print("\n  why? ")?;
        let note = match &self.term {
            Some(term) => term.read_line().ok(),
            None => line(),
        };
        Ok(note.map(|note| Answer::TakeOut { which, note: note.trim().to_owned() }))
    }

    fn end(&mut self) -> Result<()> {
        if let Some(term) = &self.term {
            let _ = term.clear_screen();
        }
        let note = std::mem::take(&mut self.note);
        if note.is_empty() { Ok(()) } else { self.print(&format!("{note}\n")) }
    }
}

fn line() -> Option<String> {
    let mut line = String::new();
    let read = std::io::stdin().lock().read_line(&mut line).ok()?;
    (read > 0).then_some(line)
}
