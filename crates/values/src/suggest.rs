//! Typos in addresses: mended where a job lists the rule under `apply`, else suggested.

use crate::address_syntax::judge;
use crate::quick_map::{QuickMap, QuickSet};
use crate::{Rule, Rules};
use std::collections::HashMap;
use std::sync::LazyLock;

static PROVIDERS: LazyLock<Vec<&'static str>> =
    LazyLock::new(|| words(include_str!("data/mailbox_providers.txt")).collect());

static TOP_LEVEL: LazyLock<QuickSet<&'static str>> =
    LazyLock::new(|| words(include_str!("data/top_level_domains.txt")).collect());

fn words(text: &'static str) -> impl Iterator<Item = &'static str> {
    text.lines().filter(|line| !line.starts_with('#')).flat_map(str::split_whitespace)
}

/// Whether the last label of a domain (as A-labels, in lower case) is a known top-level domain: of the root zone, or set
/// aside for examples and tests (RFC 2606).
pub fn has_known_top_level(domain: &str) -> bool {
    TOP_LEVEL.contains(domain.rsplit('.').next().unwrap_or_default())
}

/// Whether the public has its mailboxes at a domain.
pub fn is_mailbox_provider(domain: &str) -> bool {
    PROVIDERS.contains(&domain)
}

/// Whether a domain, with all below it, holds one at which the public has its mailboxes.
pub fn holds_mailbox_provider(domain: &str) -> bool {
    let is_above =
        |provider: &str| provider.strip_suffix(domain).is_some_and(|rest| rest.is_empty() || rest.ends_with('.'));
    PROVIDERS.iter().any(|provider| is_above(provider))
}

/// A domain must occur this often at the beginning of the files to be one that others may be typos of.
const FREQUENT: u32 = 10;

/// A domain is taken for what was meant only if it occurs this many times as often as its typo.
const TIMES_AS_OFTEN: u32 = 10;

/// Shorter domains are one typo away from too many others.
const SHORTEST: usize = 7;

/// The domains that others may be typos of: those of well-known mailbox providers, and those that are frequent in the
/// beginning of the files.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DomainTypos {
    counts: HashMap<String, u32>,
    frequent: Vec<String>,
}

impl DomainTypos {
    /// From the domains at the beginning of the files, as A-labels in lower case.
    pub fn new(domains: impl IntoIterator<Item = String>) -> DomainTypos {
        let mut counts: HashMap<String, u32> = HashMap::new();
        domains.into_iter().for_each(|domain| *counts.entry(domain).or_default() += 1);
        let mut frequent: Vec<String> =
            counts.iter().filter(|(_, count)| **count >= FREQUENT).map(|(domain, _)| domain.clone()).collect();
        frequent.sort();
        DomainTypos { counts, frequent }
    }

    fn known(&self) -> impl Iterator<Item = &str> {
        PROVIDERS.iter().copied().chain(self.frequent.iter().map(String::as_str))
    }

    /// The one domain that a domain is likely meant to be: one typo away (a letter more, less, other, or two swapped);
    /// none where it is known itself, or where there are several.
    pub fn meant(&self, domain: &str) -> Option<String> {
        let own = self.counts.get(domain).copied().unwrap_or_default();
        if is_mailbox_provider(domain) || own >= FREQUENT {
            return None;
        }
        let is_rarer = |known: &str| {
            let count = self.counts.get(known).copied().unwrap_or_default();
            is_mailbox_provider(known) || count >= own.saturating_mul(TIMES_AS_OFTEN)
        };
        let (is_ascii, length) = (domain.is_ascii(), domain.len());
        let ends = |text: &str| (text.bytes().next(), text.bytes().last());
        let (first, last) = ends(domain);
        // One typo in a text of several letters leaves its first letter or its last one, and its length within one.
        let may_be = |known: &str| {
            let of_known = ends(known);
            !is_ascii || (known.len().abs_diff(length) <= 1 && (of_known.0 == first || of_known.1 == last))
        };
        let near =
            |known: &&str| known.len() >= SHORTEST && may_be(known) && is_one_typo(domain, known) && is_rarer(known);
        let mut candidates = self.known().filter(near);
        if let Some(found) = candidates.next() {
            let is_only = candidates.all(|other| other == found);
            return is_only.then(|| found.to_owned());
        }
        let (rest, top) = domain.rsplit_once('.')?;
        if TOP_LEVEL.contains(top) {
            return None;
        }
        let mut tops = ["com", "net", "org"].into_iter().filter(|known| is_one_typo(top, known));
        match (tops.next(), tops.next()) {
            (Some(meant), None) => Some(format!("{rest}.{meant}")),
            _ => None,
        }
    }

    /// The known domain that a domain without dots is.
    fn with_dots(&self, domain: &str) -> Option<&str> {
        let is_it =
            |known: &&str| known.len() > domain.len() && known.bytes().filter(|byte| *byte != b'.').eq(domain.bytes());
        let mut found = self.known().filter(is_it);
        let first = found.next()?;
        found.all(|other| other == first).then_some(first)
    }
}

/// Whether two texts are one insertion, deletion, replacement or swap of neighbours apart.
///
/// ```
/// use pebblebank_values::suggest::is_one_typo;
/// assert!(is_one_typo("potsbox", "postbox") && is_one_typo("postbx", "postbox") && is_one_typo("postbax", "postbox"));
/// assert!(!is_one_typo("postbox", "postbox") && !is_one_typo("pstbx", "postbox"));
/// ```
pub fn is_one_typo(a: &str, b: &str) -> bool {
    if a.is_ascii() && b.is_ascii() {
        return are_one_apart(a.as_bytes(), b.as_bytes());
    }
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    are_one_apart(&a, &b)
}

fn are_one_apart<T: PartialEq>(a: &[T], b: &[T]) -> bool {
    if a.len().abs_diff(b.len()) > 1 {
        return false;
    }
    let same = a.iter().zip(b).take_while(|(a, b)| a == b).count();
    let (a, b) = (&a[same..], &b[same..]);
    match (a, b) {
        ([_, rest @ ..], whole) if a.len() > b.len() => rest == whole,
        (whole, [_, rest @ ..]) if b.len() > a.len() => whole == rest,
        ([a1, a2, a_rest @ ..], [b1, b2, b_rest @ ..]) if a1 == b2 && a2 == b1 && a_rest == b_rest => true,
        ([_, a_rest @ ..], [_, b_rest @ ..]) => a_rest == b_rest,
        _ => false,
    }
}

/// What a rule makes of a text; none where it finds nothing to mend.
type Step = fn(&str, &DomainTypos) -> Option<String>;

/// A cleaned text as the address that it is likely meant to be, by the rules that are allowed, and those that were
/// needed; none where there is nothing to mend or nothing comes of it.
///
/// ```
/// use pebblebank_values::Rule;
/// use pebblebank_values::Rules;
/// use pebblebank_values::suggest::mended;
/// use pebblebank_values::suggest::DomainTypos;
/// use pebblebank_values::suggest::ALL;
/// let mended = |text| mended(text, ALL, &DomainTypos::default()).map(|(text, _)| text);
/// assert_eq!(mended("ida(at)post[dot]example").as_deref(), Some("ida@post.example"));
/// assert_eq!(mended("ida@post,example").as_deref(), Some("ida@post.example"));
/// assert_eq!(mended("ida moss@post.example"), None);
/// ```
pub fn mended(text: &str, allowed: Rules, typos: &DomainTypos) -> Option<(String, Rules)> {
    let mut rules = Rules::NONE;
    let mut mended = text.to_owned();
    if judge(&mended).is_err() {
        let steps: [(Rule, Step); 5] = [
            (Rule::SpelledOutSigns, spelled_out_signs),
            (Rule::SpaceInside, space_inside),
            (Rule::CommaForDot, comma_for_dot),
            (Rule::DoubledDot, doubled_dot),
            (Rule::MissingDot, missing_dot),
        ];
        for (rule, step) in steps {
            if allowed.has(rule)
                && let Some(next) = step(&mended, typos)
            {
                rules.add(rule);
                mended = next;
                if judge(&mended).is_ok() {
                    break;
                }
            }
        }
        judge(&mended).ok()?;
    }
    if allowed.has(Rule::DomainTypo)
        && let Some((local, domain)) = mended.rsplit_once('@')
        && domain.is_ascii()
        && let Some(meant) = typos.meant(domain)
    {
        rules.add(Rule::DomainTypo);
        mended = format!("{local}@{meant}");
    }
    (!rules.is_empty()).then_some((mended, rules))
}

/// All rules that are suggested.
pub const ALL: Rules = Rules::of(&Rule::SUGGESTED);

/// "(at)", "[dot]", " at ", " dot ".
fn spelled_out_signs(text: &str, _: &DomainTypos) -> Option<String> {
    const AT: [&str; 6] = ["(at)", "[at]", "{at}", "<at>", "(a)", "(@)"];
    const DOT: [&str; 7] = ["(dot)", "[dot]", "{dot}", "<dot>", "(.)", "(punkt)", "(point)"];
    if !text.contains(['(', '[', '{', '<']) && !text.contains(" at ") && !text.contains(" dot ") {
        return None;
    }
    let mut signs = text.to_owned();
    for word in AT {
        signs = signs.replace(word, "@");
    }
    for word in DOT {
        signs = signs.replace(word, ".");
    }
    if !signs.contains('@') {
        signs = signs.replace(" at ", "@");
    }
    signs = signs.replace(" dot ", ".");
    if signs == text {
        return None;
    }
    for (open, closed) in [(" @", "@"), ("@ ", "@"), (" .", "."), (". ", ".")] {
        signs = signs.replace(open, closed);
    }
    (signs.matches('@').count() == 1).then_some(signs)
}

/// Blanks beside the `@` or a dot, or anywhere in the domain. A blank between two words of the local part may stand for
/// several signs.
fn space_inside(text: &str, _: &DomainTypos) -> Option<String> {
    let (local, domain) = text.rsplit_once('@')?;
    let local = local.trim_end().replace(" .", ".").replace(". ", ".");
    if local.contains(char::is_whitespace) {
        return None;
    }
    let domain: String = domain.chars().filter(|c| !c.is_whitespace()).collect();
    let joined = format!("{local}@{domain}");
    (joined != text).then_some(joined)
}

fn comma_for_dot(text: &str, _: &DomainTypos) -> Option<String> {
    let (local, domain) = text.rsplit_once('@')?;
    domain.contains(',').then(|| format!("{local}@{}", domain.replace(',', ".")))
}

fn doubled_dot(text: &str, _: &DomainTypos) -> Option<String> {
    let (local, domain) = text.rsplit_once('@')?;
    let single = |part: &str| {
        let labels: Vec<&str> = part.split('.').filter(|label| !label.is_empty()).collect();
        labels.join(".")
    };
    let joined = format!("{}@{}", single(local), single(domain));
    (joined != text).then_some(joined)
}

fn missing_dot(text: &str, typos: &DomainTypos) -> Option<String> {
    let (local, domain) = text.rsplit_once('@')?;
    if domain.contains('.') {
        return None;
    }
    let with_dots = typos.with_dots(domain)?;
    Some(format!("{local}@{with_dots}"))
}

/// What is known of domains, asked again and again.
#[derive(Debug, Default)]
pub struct DomainLooks {
    known: QuickMap<Vec<u8>, DomainLook>,
}

/// What is known of one domain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DomainLook {
    /// Whether it is likely a typo of another.
    pub is_typo: bool,
    /// Whether its top-level domain is known.
    pub has_known_top_level: bool,
}

/// How many domains are remembered.
const DOMAINS_REMEMBERED: usize = 1 << 14;

impl DomainLooks {
    /// Looks at a domain.
    #[inline]
    pub fn look(&mut self, domain: &[u8], typos: &DomainTypos) -> DomainLook {
        if let Some(look) = self.known.get(domain) {
            return *look;
        }
        let text = String::from_utf8_lossy(domain);
        let look =
            DomainLook { is_typo: typos.meant(&text).is_some(), has_known_top_level: has_known_top_level(&text) };
        if self.known.len() < DOMAINS_REMEMBERED {
            self.known.insert(domain.to_vec(), look);
        }
        look
    }
}
