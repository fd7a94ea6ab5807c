//! Several users at one bank and in one folder, each giving commands at random, some of them killed, with changing limits.
//! Beside them stands a plain model: a list of who said what. At every moment and at the end the promises are held against it.
//!
//! A little of it whenever the tests run. For longer, with another seed, in the release profile:
//! `SOAK_SECONDS=7200 SOAK_SEED=7 cargo test --release -p pebblebank --test soak -- --ignored --nocapture`

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::mutation::Dice;
use common::{Desk, Ran};
use std::process::Stdio;
use std::sync::Mutex;
use std::time::{Duration, Instant};

const USERS: usize = 3;
const PEOPLE: usize = 90;

/// What the model knows of somebody.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Standing {
    /// Nothing holds the person.
    Free,
    /// A command that came to its end holds the person.
    Held,
    /// A command that would change it is under way, or was killed.
    Unknown,
}

/// Everybody's standing, and how often it was touched.
struct Model(Mutex<Vec<(Standing, u64)>>);

impl Model {
    /// From now on nothing is certain about these people.
    fn begin(&self, people: &[usize]) {
        let mut all = self.0.lock().unwrap();
        for person in people {
            all[*person] = (Standing::Unknown, all[*person].1 + 1);
        }
    }

    /// A command about them came to its end.
    fn done(&self, people: &[usize], standing: Standing) {
        let mut all = self.0.lock().unwrap();
        for person in people {
            all[*person] = (standing, all[*person].1 + 1);
        }
    }

    fn now(&self) -> Vec<(Standing, u64)> {
        self.0.lock().unwrap().clone()
    }

    /// Those who had this standing at `earlier` and whom nobody touched since.
    fn since(&self, earlier: &[(Standing, u64)], standing: Standing) -> Vec<usize> {
        let now = self.now();
        (0..PEOPLE).filter(|person| earlier[*person] == now[*person] && now[*person].0 == standing).collect()
    }
}

fn address(person: usize) -> String {
    format!("person{person}@post.example")
}

/// One who gives commands. Everybody belongs to one user, who alone says of them who is held.
struct User<'a> {
    number: usize,
    desk: &'a Desk,
    model: &'a Model,
    dice: Dice,
    killed: u32,
    copies: usize,
}

impl User<'_> {
    fn own(&mut self) -> usize {
        self.dice.below(PEOPLE / USERS) * USERS + self.number
    }

    /// Gives a command, with limits as they come; none where it was killed.
    fn command(&mut self, arguments: &[&str]) -> Option<Ran> {
        let mut command = self.desk.command(arguments);
        let memory = *self.dice.of(&["64MiB", "100MiB", "1GiB"]);
        let threads = *self.dice.of(&["1", "2", "5"]);
        command.args(["--memory", memory, "--threads", threads]);
        // Each has the same bank, also before it is there.
        command.env("PEBBLEBANK_BANK", "bank.sqlite");
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        if self.dice.below(4) == 0 {
            std::thread::sleep(Duration::from_micros(self.dice.below(60_000) as u64));
            child.kill().unwrap();
        }
        let output = child.wait_with_output().unwrap();
        if output.status.code().is_none() {
            self.killed += 1;
            return None;
        }
        let ran = Ran::of(&output);
        assert_eq!(ran.status, 0, "user {}: {arguments:?}\n{}{}", self.number, ran.stdout, ran.stderr);
        Some(ran)
    }

    fn step(&mut self) {
        match self.dice.below(8) {
            0 | 1 => self.adds(),
            2 => self.loads(),
            3 => self.takes_back(),
            4 => self.copies(),
            _ => self.runs(),
        }
    }

    fn adds(&mut self) {
        let person = self.own();
        self.changes(&[person], &["bank", "add", &address(person), "--as", "opted-out"], Standing::Held);
    }

    fn loads(&mut self) {
        let people: Vec<usize> = (0..6).map(|_| self.own()).collect();
        let rows: String = people.iter().map(|person| address(*person) + "\n").collect();
        let file = format!("list{}.csv", self.number);
        self.desk.file(&file, format!("email\n{rows}"));
        self.changes(&people, &["bank", "load", &file, "--as", "bounced", "--yes", "--again"], Standing::Held);
    }

    fn takes_back(&mut self) {
        let person = self.own();
        if self.model.now()[person].0 == Standing::Held {
            let address = address(person);
            self.changes(&[person], &["bank", "remove", &address, "--note", "signed up again"], Standing::Free);
        }
    }

    fn changes(&mut self, people: &[usize], arguments: &[&str], then: Standing) {
        self.model.begin(people);
        if self.command(arguments).is_some() {
            self.model.done(people, then);
        }
    }

    fn runs(&mut self) {
        let before = self.model.now();
        let job = format!("job{}.toml", self.number);
        if self.command(&["run", &job, "--replace", "--json"]).is_some() {
            self.is_as_promised(&before);
        } else if self.desk.has(&format!("out{}.csv", self.number)) {
            // Of this run or of an earlier one, but whole.
            let text = self.desk.text(&format!("out{}.csv", self.number));
            assert!(text.starts_with("email,") && text.ends_with('\n'), "half a file: {text}");
        }
    }

    /// Nobody is written who was held all the while, and everybody who was free all the while.
    fn is_as_promised(&self, before: &[(Standing, u64)]) {
        let sheet = self.desk.sheet(&format!("out{}.csv", self.number));
        let written = sheet.column("email");
        for person in self.model.since(before, Standing::Held) {
            assert!(!written.contains(&address(person).as_str()), "{} opted out and was written", address(person));
        }
        for person in self.model.since(before, Standing::Free) {
            assert!(written.contains(&address(person).as_str()), "{} is lost", address(person));
        }
        let tally: serde_json::Value =
            serde_json::from_slice(&self.desk.bytes(&format!("fair{}.receipt/tally.json", self.number))).unwrap();
        let count = |key: &str| tally["all"][key].as_u64().unwrap();
        assert_eq!(count("read"), PEOPLE as u64);
        assert_eq!(count("written"), written.len() as u64);
        assert_eq!(count("read"), count("written") + count("merged") + count("set_aside"));
    }

    fn copies(&mut self) {
        let before = self.model.now();
        self.copies += 1;
        let copy = format!("copy{}-{}.sqlite", self.number, self.copies);
        if self.command(&["bank", "backup", &copy]).is_none() {
            // The next command with this output completes the copy, if it was far enough, and then finds it there.
            let again = self.desk.run(&["bank", "backup", &copy, "--bank", "bank.sqlite"]);
            assert!(again.status == 0 || again.stderr.contains("already"), "{}", again.stderr);
        }
        if let Some(person) = self.model.since(&before, Standing::Held).first() {
            let found = self.desk.json(&["bank", "find", &address(*person), "--bank", &copy]);
            assert_eq!(found["held"], true, "{} is not held in the copy", address(*person));
        }
        std::fs::remove_file(self.desk.path(&copy)).unwrap();
    }
}

fn soak(seed: u64, goes_on: impl Fn(u64) -> bool + Sync) {
    let desk = Desk::new();
    let rows: String = (0..PEOPLE).map(|person| address(person) + ",Ida Moss\n").collect();
    for user in 0..USERS {
        desk.file(&format!("shop{user}.csv"), format!("email,name\n{rows}"));
        desk.file(
            &format!("job{user}.toml"),
            format!(
                "[job]\nname = \"fair{user}\"\n[[source]]\nname = \"shop\"\nfiles = [\"shop{user}.csv\"]\n\
                 [[write]]\nfile = \"out{user}.csv\"\n[guard]\nwrite_at_least = 0\n"
            ),
        );
    }
    desk.done(&["bank", "add", "somebody@far.example"]);
    let model = Model(Mutex::new(vec![(Standing::Free, 0); PEOPLE]));
    let (steps, killed): (u64, u32) = std::thread::scope(|scope| {
        let users: Vec<_> = (0..USERS)
            .map(|number| {
                let dice = Dice(seed.wrapping_mul(1_000_003) + number as u64);
                let mut user = User { number, desk: &desk, model: &model, dice, killed: 0, copies: 0 };
                let goes_on = &goes_on;
                scope.spawn(move || {
                    let mut steps = 0;
                    while goes_on(steps) {
                        user.step();
                        steps += 1;
                    }
                    (steps, user.killed)
                })
            })
            .collect();
        users.into_iter().map(|user| user.join().unwrap()).fold((0, 0), |all, user| (all.0 + user.0, all.1 + user.1))
    });
    println!("seed {seed}: {steps} commands, {killed} of them killed");
    at_the_end(&desk, &model);
}

/// When everybody has gone home: the bank knows what the model knows, and nothing is left lying about.
fn at_the_end(desk: &Desk, model: &Model) {
    for (person, (standing, _)) in model.now().into_iter().enumerate() {
        let held = desk.json(&["bank", "find", &address(person)])["held"].as_bool().unwrap();
        assert!(
            standing == Standing::Unknown || held == (standing == Standing::Held),
            "{}: {standing:?}",
            address(person)
        );
    }
    for user in 0..USERS {
        desk.done(&["run", &format!("job{user}.toml"), "--replace"]);
    }
    let written = |user: usize| desk.bytes(&format!("out{user}.csv"));
    assert!((1..USERS).all(|user| written(user) == written(0)), "one bank, one answer");
    desk.done(&["bank", "backup", "last.sqlite"]);
    let left: Vec<String> =
        desk.names().into_iter().filter(|name| name.contains(".pebblebank-") || name.starts_with('.')).collect();
    assert!(left.is_empty(), "{left:?}");
}

#[test]
fn whatever_users_do_and_whatever_is_killed_the_bank_and_the_files_keep_their_promises() {
    soak(2_026, |steps| steps < 30);
}

#[test]
#[ignore = "takes as long as SOAK_SECONDS says"]
fn for_a_long_time() {
    let number =
        |name: &str, unless: u64| std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(unless);
    let (seconds, first) = (number("SOAK_SECONDS", 7_200), number("SOAK_SEED", 1));
    let begun = Instant::now();
    for seed in first.. {
        soak(seed, |steps| steps < 400 && begun.elapsed() < Duration::from_secs(seconds));
        if begun.elapsed() >= Duration::from_secs(seconds) {
            break;
        }
    }
}
