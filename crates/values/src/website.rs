//! Addresses of websites: with a scheme, scheme and host in small letters (RFC 3986, section 6.2.2.1).

use crate::address_syntax::judge_domain;
use crate::{Cleaned, Doubt, Rule, Rules};

/// Cleans a tidy text as a website; the new value is added to `out`.
///
/// ```
/// use pebblebank_values::website::clean;
/// let mut out = String::new();
/// clean("WWW.Quillmere.example/", &mut out);
/// assert_eq!(out, "https://www.quillmere.example");
/// ```
pub fn clean(text: &str, out: &mut String) -> Cleaned {
    let unreadable = Cleaned::Doubtful(Doubt::UnreadableWebsite);
    let (scheme, rest) = match text.split_once("://") {
        Some((scheme, rest)) => (scheme.to_ascii_lowercase(), rest),
        None => ("https".to_owned(), text.trim_start_matches('/')),
    };
    if !matches!(scheme.as_str(), "http" | "https") || text.contains(char::is_whitespace) {
        return unreadable;
    }
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    let (host, path) = rest.split_at(end);
    let (name, port) = host.rsplit_once(':').map_or((host, ""), |(name, port)| (name, port));
    let lower = name.to_lowercase();
    let ascii = if lower.is_ascii() { Some(lower.clone()) } else { idna::domain_to_ascii_strict(&lower).ok() };
    let is_host =
        ascii.is_some_and(|ascii| judge_domain(&ascii).is_ok()) && port.bytes().all(|byte| byte.is_ascii_digit());
    if !is_host {
        return unreadable;
    }
    let start = out.len();
    out.push_str(&scheme);
    out.push_str("://");
    out.push_str(&lower);
    if !port.is_empty() {
        out.push(':');
        out.push_str(port);
    }
    if path != "/" {
        out.push_str(path);
    }
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(Rule::WebsiteForm)) }
}
