//! How many values of each kind are cleaned a second, on one core: records of one column, of which three in ten need a
//! repair, as they come out of a file.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_core::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use pebblebank_core::clean::row::RowCleaner;
use pebblebank_core::columns::locate::locate_table;
use pebblebank_core::columns::mapper::Unmapped;
use pebblebank_core::columns::mapping::map_columns;
use pebblebank_core::columns::sample::SampleRecords;
use pebblebank_core::columns::wishes::{ColumnWishes, ConsentQuestions};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Chunk, Dialect, Records, Shape};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::audience::DisposableDomains;
use pebblebank_values::date::{Date, DateOrder, DateSystem};
use pebblebank_values::place::Country;
use pebblebank_values::suggest::{DomainLooks, DomainTypos};
use pebblebank_values::verdict::{Why, by_syntax};
use pebblebank_values::{Field, NamedHeaders};
use std::hint::black_box;
use std::path::Path;

const ROWS: usize = 100_000;

/// Clean values, and values to repair.
const KINDS: [(Field, [&str; 4], [&str; 3]); 9] = [
    (
        Field::FullName,
        ["Ida Moss", "Tobias Thornback", "Saskia van Dijk", "Agnes Fairweather"],
        ["MARLOW QUILL", "Moss, Ida", "Zoë  Müller"],
    ),
    (Field::FirstName, ["Ida", "Tobias", "Saskia", "Agnes"], ["MARLOW", "wren ", "Zoë"]),
    (
        Field::City,
        ["Larkfold", "Upper Meresby", "Quillmere", "Old Harbour"],
        [" Larkfold", "Birk  Hill", "Fennel Cross"],
    ),
    (
        Field::SignedUp,
        ["2025-03-05", "2024-11-30", "2023-01-01", "2019-07-14"],
        ["05.03.2025", "5 March 2025", "2025-03-05 14:30"],
    ),
    (Field::PostalCode, ["LF1 3AB", "QM2 9ZZ", "SQ4 1WX", "TW3 5DE"], ["lf13ab", "QM29ZZ", "SQ1 2ab"]),
    (
        Field::Phone,
        ["+442079460018", "+447700900123", "+442079460999", "+442079460500"],
        ["020 7946 0018", "+44 (0)20 7946 0123", "07700 900123"],
    ),
    (Field::Country, ["GB", "NL", "DE", "US"], ["United Kingdom", "Niederlande", "España"]),
    (Field::Tags, ["bats", "roses; bats", "orchard", "moss"], ["bats|roses", "Bats; bats", "orchard | moss"]),
    (Field::Language, ["en", "nl", "de", "fr"], ["English", "Deutsch", "pt_BR"]),
];

fn values(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("values, one core");
    group.sample_size(10).throughput(Throughput::Elements(ROWS as u64));
    for (field, clean, messy) in KINDS {
        let mut text = format!("{}\n", field.name());
        for row in 0..ROWS {
            text.push_str(if row % 10 < 7 { clean[row % clean.len()] } else { messy[row % messy.len()] });
            text.push('\n');
        }
        // No value has a comma but the name turned round.
        let text = text.replace("Moss, Ida", "\"Moss, Ida\"");
        let sample = SampleRecords::new(text.as_bytes(), Dialect::COMMA, true);
        let table = locate_table(&sample, Some(1), &NamedHeaders::default());
        let map = map_columns(&Unmapped {
            path: Path::new("values.csv"),
            table: &table,
            sample: &sample,
            wishes: &ColumnWishes::default(),
            is_list: false,
            found_consent: &[],
            consent_questions: ConsentQuestions::Stop,
            asks: false,
        });
        let map = map.expect("one known column").map;
        let wishes = CleaningWishes {
            country: Country::from_text("GB"),
            today: Date { year: 2026, month: 3, day: 2 },
            date_system: DateSystem::default(),
            blank_words: std::sync::Arc::default(),
            tags_roles: false,
            gives_tags: false,
        };
        let wanted = Wanted { fields: vec![field], ..Wanted::default() };
        let mut plan = CleaningPlan::new(&wishes, &wanted, &map, false, &[(ColumnIndex(0), '|')]);
        plan.set_order(ColumnIndex(0), DateOrder::DayFirst);
        let chunk = Chunk { bytes: text.clone().into_bytes(), shape: Shape::Unusual, is_first: true };
        let mut records = Records::default();
        records.split(&chunk, Dialect::COMMA);
        assert_eq!(records.len(), ROWS + 1);
        let mut addresses = AddressCleaner::default();
        let address = addresses.clean(b"");
        group.bench_function(field.name(), |bencher| {
            let mut cleaner = RowCleaner::default();
            bencher.iter(|| {
                let mut repaired = 0;
                for row in 1..records.len() {
                    let record = records.get(row, &chunk.bytes, Dialect::COMMA);
                    cleaner.clean(&plan, black_box(&record), &address);
                    repaired += usize::from(cleaner.is_changed());
                }
                assert!(repaired > ROWS / 20, "{field} {repaired}");
            });
        });
    }
    group.finish();
}

/// Addresses judged by themselves: cleaned, and looked at for their domain, their office and likely typos.
fn verdicts(criterion: &mut Criterion) {
    let names = ["ida.moss", "info", "tobias", "wren_ash", "saskia.v", "n"];
    let address = |number: usize| format!("{}{number}@mail{}.example", names[number % names.len()], number % 4_000);
    let all: Vec<String> = (0..ROWS).map(address).collect();
    let (typos, disposable) = (DomainTypos::default(), DisposableDomains::default());
    let mut group = criterion.benchmark_group("verdicts");
    group.throughput(Throughput::Elements(ROWS as u64));
    group.bench_function("by syntax", |bencher| {
        let (mut cleaner, mut looks) = (AddressCleaner::default(), DomainLooks::default());
        bencher.iter(|| {
            let judge = |text: &String| {
                let address = cleaner.clean(black_box(text.as_bytes()));
                u64::from(by_syntax(&address, &typos, &disposable, &mut looks).whys.first() == Why::WellFormed)
            };
            assert_eq!(all.iter().map(judge).sum::<u64>(), ROWS as u64);
        });
    });
    group.finish();
}

criterion_group!(benches, values, verdicts);
criterion_main!(benches);
