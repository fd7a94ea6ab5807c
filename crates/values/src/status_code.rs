//! Status codes of mail (RFC 3463, RFC 5321): what class of failure they tell.

/// The class of an enhanced status code (RFC 3463), which may stand behind a reply code (RFC 5321), or of that alone.
pub fn code_class(value: &str) -> Option<u8> {
    let mut words = value.split(|sign: char| !(sign.is_ascii_digit() || sign == '.')).filter(|word| !word.is_empty());
    let first = words.next()?;
    if !value.trim_start_matches(|sign: char| !sign.is_ascii_alphanumeric()).starts_with(first) {
        return None;
    }
    let is_reply = |word: &str| word.len() == 3 && word.bytes().all(|byte| byte.is_ascii_digit());
    let enhanced = |word: &str| {
        let parts: Vec<&str> = word.trim_end_matches('.').split('.').collect();
        let is_code =
            parts.len() == 3 && parts[0].len() == 1 && parts[1..].iter().all(|part| (1..=3).contains(&part.len()));
        if is_code { parts[0].parse().ok() } else { None }
    };
    let of_reply = |word: &str| if is_reply(word) { word[..1].parse().ok() } else { None };
    let class = enhanced(first).or_else(|| {
        let reply: u8 = of_reply(first)?;
        Some(words.next().and_then(enhanced).unwrap_or(reply))
    });
    class.filter(|class| [2, 4, 5].contains(class))
}
