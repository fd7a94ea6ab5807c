//! Layouts: what stands in each cell, counted a second time the plain way.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use proptest::prelude::*;

const FIELDS: [&str; 4] = ["first_name", "last_name", "city", "Our code"];

/// A piece of a template: words, or the place of a field.
#[derive(Debug, Clone)]
enum Piece {
    Words(&'static str),
    Field(usize),
}

#[derive(Debug, Clone)]
struct Column {
    pieces: Vec<Piece>,
    otherwise: Option<&'static str>,
}

fn column() -> impl Strategy<Value = Column> {
    let piece = prop_oneof![
        2 => (0..FIELDS.len()).prop_map(Piece::Field),
        1 => prop::sample::select(vec![" ", "Dear ", ", ", " of ", "-"]).prop_map(Piece::Words),
    ];
    (
        prop::collection::vec(piece, 1..5),
        prop::option::of(prop::sample::select(vec!["Friend", "to whom it may concern"])),
    )
        .prop_filter_map("a template needs a field", |(pieces, otherwise)| {
            pieces.iter().any(|piece| matches!(piece, Piece::Field(_))).then_some(Column { pieces, otherwise })
        })
}

fn row() -> impl Strategy<Value = [&'static str; 4]> {
    let value = |values: &'static [&'static str]| prop::sample::select(values);
    (value(&["Ida", "Zoë", ""]), value(&["Moss", "Ash", ""]), value(&["Larkfold", ""]), value(&["A7", "b 8", ""]))
        .prop_map(|(first, last, city, code)| [first, last, city, code])
}

impl Column {
    fn template(&self) -> String {
        let piece = |piece: &Piece| match piece {
            Piece::Words(words) => (*words).to_owned(),
            Piece::Field(field) => format!("{{{}}}", FIELDS[*field]),
        };
        self.pieces.iter().map(piece).collect()
    }

    /// What stands in the cell: the fallback as soon as one field is blank, else all of it; blanks that an empty field leaves
    /// are closed up.
    fn cell(&self, row: &[&str; 4]) -> String {
        let fields = self
            .pieces
            .iter()
            .filter_map(|piece| if let Piece::Field(field) = piece { Some(row[*field]) } else { None });
        let has_blank = fields.clone().any(str::is_empty);
        if let (true, Some(otherwise)) = (has_blank, self.otherwise) {
            return otherwise.to_owned();
        }
        let filled: String = self
            .pieces
            .iter()
            .map(|piece| match piece {
                Piece::Words(words) => words,
                Piece::Field(field) => row[*field],
            })
            .collect();
        if has_blank { filled.split_whitespace().collect::<Vec<_>>().join(" ") } else { filled }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn a_template_is_filled_field_by_field(columns in prop::collection::vec(column(), 1..4), rows in prop::collection::vec(row(), 1..6)) {
        let mut layout = "[layout.letter]\ndefuse = false\ncolumns = [\n  { name = \"To\", from = \"email\" },\n".to_owned();
        for (place, column) in columns.iter().enumerate() {
            let otherwise = column.otherwise.map_or(String::new(), |text| format!(", otherwise = \"{text}\""));
            layout += &format!("  {{ name = \"column {place}\", from = \"{}\"{otherwise} }},\n", column.template());
        }
        layout += "]\n";
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(["email", "first_name", "last_name", "city", "Our code"]).unwrap();
        for (number, row) in rows.iter().enumerate() {
            let email = format!("p{number}@x.example");
            writer.write_record([email.as_str(), row[0], row[1], row[2], row[3]]).unwrap();
        }
        let desk = Desk::new();
        desk.file("shop.csv", writer.into_inner().unwrap());
        desk.file("job.toml", job_with(&layout).replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"letter\""));
        desk.done(&["run", "job.toml"]);
        let sheet = desk.sheet("out.csv");
        for (place, column) in columns.iter().enumerate() {
            let meant: Vec<String> = rows.iter().map(|row| column.cell(row)).collect();
            prop_assert_eq!(sheet.column(&format!("column {place}")), meant, "{}", column.template());
        }
    }
}
