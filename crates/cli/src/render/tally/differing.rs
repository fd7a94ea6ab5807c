//! Two texts side by side, where there is little room for them.

/// Two long texts that begin alike, from shortly before where they differ.
pub(super) fn from_difference(before: &str, after: &str, width: usize) -> [String; 2] {
    const LEAD: usize = 12;
    let length = before.chars().count();
    let same = before.chars().zip(after.chars()).take_while(|(a, b)| a == b).count();
    if length <= width || same < width / 2 {
        return [before.to_owned(), after.to_owned()];
    }
    // As much as fits, where the difference is near the end.
    let start = (same - LEAD).min(length + 1 - width);
    [before, after].map(|text| format!("…{}", text.chars().skip(start).collect::<String>()))
}
