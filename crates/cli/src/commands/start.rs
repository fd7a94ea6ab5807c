//! `pebblebank` alone: what to do first.

use crate::finish::Said;

const FIRST_STEPS: &str = "\
Pebblebank makes one import file out of a pile of exported subscriber files.

  pebblebank demo                       see the whole way on made-up data
  pebblebank survey FILE…               what is in these files, and what looks wrong
  pebblebank clean FILE… -o OUT.csv     merge files, clean values, drop blanks and duplicates
  pebblebank propose FILE… -o JOB.toml  a job file made of what is in the files
  pebblebank run JOB.toml [--dry-run]   do a job: suppression lists, layouts, a receipt of every row
  pebblebank bank load FILE --as REASON remember who must not be contacted, for every later mailing

Your files are never changed. Whoever is left out is kept in a file, with the reason (COMMAND --help says more).
";

/// Says what to do first.
pub fn start() -> Said {
    Said::done(FIRST_STEPS.to_owned())
}
