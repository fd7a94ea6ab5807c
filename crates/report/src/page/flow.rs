//! The way of the rows as a picture: from each source to written, merged and set aside.
//!
//! A band is as high as it has rows. Colours come from the page, so that it also works in the dark and on paper.

use super::parts::{list, number};
use pebblebank_table::observe::grouped;
use serde_json::Value;

/// The size of the picture.
const WIDTH: f64 = 860.0;
const HEIGHT: f64 = 360.0;

/// Where the boxes are.
const LEFT: f64 = 210.0;
const RIGHT: f64 = 640.0;
const BOX: f64 = 14.0;
const GAP: f64 = 10.0;

/// The most sources that have a band of their own.
const MOST: usize = 10;

/// Where rows go, with the class of the band and its words.
const ENDS: [(&str, &str, &str); 3] =
    [("written", "written", "written"), ("merged", "merged", "merged"), ("set_aside", "aside", "set aside")];

/// The picture as SVG; empty if nothing was read.
pub(super) fn picture(tally: &Value) -> String {
    let sources = sources(tally);
    let read: u64 = sources.iter().map(|(_, counts)| counts.iter().sum::<u64>()).sum();
    if read == 0 {
        return String::new();
    }
    let unit =
        |count: u64, boxes: usize| (HEIGHT - GAP * (boxes.max(1) - 1) as f64 - 20.0) * count as f64 / read as f64;
    let mut svg = format!(
        "<svg viewBox=\"0 0 {WIDTH} {HEIGHT}\" role=\"img\" aria-label=\"Rows of each source: written, merged and set aside. The table below has the numbers.\">"
    );
    let mut at_end = end_places(&sources, &unit);
    let mut y = 10.0;
    for (name, counts) in &sources {
        let in_all: u64 = counts.iter().sum();
        let height = unit(in_all, sources.len());
        svg.push_str(&rectangle(LEFT, y, height.max(1.0), "source"));
        svg.push_str(&label(LEFT - 8.0, y + height / 2.0, "end", &format!("{} {}", short(name), grouped(in_all))));
        let mut from = y;
        for ((count, (_, class, _)), to) in counts.iter().zip(ENDS).zip(&mut at_end) {
            let (left, right) = (unit(*count, sources.len()), unit(*count, ENDS.len()));
            if *count > 0 {
                svg.push_str(&band((from, left), (*to, right), class));
            }
            from += left;
            *to += right;
        }
        y += height + GAP;
    }
    let mut y = 10.0;
    for (end, (_, class, words)) in ENDS.into_iter().enumerate() {
        let count: u64 = sources.iter().map(|(_, counts)| counts[end]).sum();
        let height = unit(count, ENDS.len());
        let words = if class == "written" && tally["outcome"] != "written" { "would be written" } else { words };
        svg.push_str(&rectangle(RIGHT, y, height.max(1.0), class));
        svg.push_str(&label(RIGHT + BOX + 8.0, y + height / 2.0, "start", &format!("{words} {}", grouped(count))));
        y += height + GAP;
    }
    svg + "</svg>"
}

/// The sources with how many of their rows end where; small ones together.
fn sources(tally: &Value) -> Vec<(String, [u64; 3])> {
    let counts = |source: &Value| ENDS.map(|(key, ..)| number(source, key));
    let all = list(tally, "sources");
    let mut sources: Vec<(String, [u64; 3])> = all
        .iter()
        .take(if all.len() > MOST { MOST - 1 } else { MOST })
        .map(|source| (source["name"].as_str().unwrap_or_default().to_owned(), counts(source)))
        .collect();
    let others = &all[sources.len()..];
    if !others.is_empty() {
        let mut sum = [0; 3];
        others.iter().map(counts).for_each(|counts| sum.iter_mut().zip(counts).for_each(|(sum, count)| *sum += count));
        sources.push((format!("{} others", others.len()), sum));
    }
    sources
}

/// Where the bands into each end begin.
fn end_places(sources: &[(String, [u64; 3])], unit: &dyn Fn(u64, usize) -> f64) -> [f64; 3] {
    let mut places = [10.0; 3];
    let mut y = 10.0;
    for (end, place) in places.iter_mut().enumerate() {
        *place = y;
        let count: u64 = sources.iter().map(|(_, counts)| counts[end]).sum();
        y += unit(count, ENDS.len()) + GAP;
    }
    places
}

fn rectangle(x: f64, y: f64, height: f64, class: &str) -> String {
    format!("<rect class=\"{class}\" x=\"{x:.1}\" y=\"{y:.1}\" width=\"{BOX:.1}\" height=\"{height:.1}\"/>")
}

fn band((from, left): (f64, f64), (to, right): (f64, f64), class: &str) -> String {
    let (start, end) = (LEFT + BOX, RIGHT);
    let middle = f64::midpoint(start, end);
    format!(
        "<path class=\"band {class}\" d=\"M{start:.1} {from:.1}C{middle:.1} {from:.1} {middle:.1} {to:.1} {end:.1} {to:.1}L{end:.1} {:.1}C{middle:.1} {:.1} {middle:.1} {:.1} {start:.1} {:.1}Z\"/>",
        to + right,
        to + right,
        from + left,
        from + left
    )
}

fn label(x: f64, y: f64, anchor: &str, text: &str) -> String {
    let text = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    format!("<text x=\"{x:.1}\" y=\"{:.1}\" text-anchor=\"{anchor}\">{text}</text>", y + 5.0)
}

/// A name that fits beside its box.
fn short(name: &str) -> String {
    const MOST: usize = 20;
    if name.chars().count() <= MOST {
        name.to_owned()
    } else {
        format!("{}…", name.chars().take(MOST).collect::<String>())
    }
}
