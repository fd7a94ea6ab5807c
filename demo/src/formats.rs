//! The same kind of exports in other formats, ready-made: what spreadsheet programs, address books, mail programs and
//! web forms hand over. They are beside the job of the demo, for `survey` and `propose`.

use crate::Written;

macro_rules! ready_made {
    ($name:literal, $what:literal) => {
        (
            Written { name: concat!("formats/", $name), what: $what },
            include_bytes!(concat!("../formats/", $name)).to_vec(),
        )
    };
}

/// All of them.
pub fn all() -> Vec<(Written, Vec<u8>)> {
    vec![
        ready_made!("playhouse-members.xlsx", "workbook: title, hidden rows, an error, codes with zeros"),
        ready_made!("gartenfreunde.xls", "old workbook with German headers"),
        ready_made!("adherents.ods", "open workbook with French headers, a hidden row"),
        ready_made!("address-book.vcf", "vCards 2.1, 3.0 and 4.0"),
        ready_made!("helpers-recipients.txt", "recipients' line of a mail program"),
        ready_made!("web-form.jsonl", "JSON, an object a line"),
        ready_made!("ticket-office.json", "JSON, an array of objects"),
        ready_made!("gift-shop.csv.gz", "packed with gzip"),
        ready_made!("garden-cafe.csv.zst", "packed with zstd"),
        ready_made!("spring-exports.zip", "three exports in one archive"),
        ready_made!("old-address-book.csv", "Mac Roman, lone carriage returns, a sep= line"),
        ready_made!("raffle.csv", "header over two lines, text decoded twice, a footnote"),
        ready_made!("library-loans.csv", "quotes behind backslashes"),
    ]
}
