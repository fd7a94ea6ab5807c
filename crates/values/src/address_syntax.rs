//! Whether a text is an e-mail address: RFC 5322 and RFC 6531 for what stands before the `@`, RFC 1123 and RFC 5890 for
//! the domain. It judges texts that were cleaned, and changes none.

use pebblebank_table::unseen::is_unseen;

/// The longest address, in octets.
pub const MAX_ADDRESS: usize = 254;

/// The longest local part, in octets.
pub const MAX_LOCAL: usize = 64;

/// The longest label of a domain, in octets (RFC 1035, section 2.3.4).
pub const MAX_LABEL: usize = 63;

/// Why an address is invalid.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Fault {
    /// No `@`.
    NoAtSign,
    /// More than one `@`.
    SeveralAtSigns,
    /// Nothing before the `@`.
    NoLocalPart,
    /// Nothing after the `@`.
    NoDomain,
    /// A local part in quotes: allowed by RFC 5321, refused by most services.
    QuotedLocalPart,
    /// A blank inside.
    SpaceInside,
    /// A dot at an end, or two in a row.
    MisplacedDot,
    /// A character that the local part cannot hold.
    #[strum(serialize = "character-in-local-part")]
    LocalCharacter,
    /// A character that a domain cannot hold, or a label that is no IDNA label.
    #[strum(serialize = "character-in-domain")]
    DomainCharacter,
    /// A domain of one label.
    OneLabelDomain,
    /// A hyphen at an end of a label.
    MisplacedHyphen,
    /// A last label of digits only, or an address literal.
    NumericDomain,
    /// Longer than the standards allow.
    TooLong,
}

impl Fault {
    /// The name in receipts.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// Whether a cleaned text is an address; gives the domain as A-labels where it is written otherwise.
pub(crate) fn judge(text: &str) -> Result<Option<String>, Fault> {
    let Some((local, domain)) = text.rsplit_once('@') else {
        return Err(if text.contains(char::is_whitespace) { Fault::SpaceInside } else { Fault::NoAtSign });
    };
    if local.len() >= 2 && local.starts_with('"') && local.ends_with('"') {
        return Err(Fault::QuotedLocalPart);
    }
    if local.contains('@') {
        return Err(Fault::SeveralAtSigns);
    }
    if text.contains(char::is_whitespace) {
        return Err(Fault::SpaceInside);
    }
    judge_local(local)?;
    if domain.is_empty() {
        return Err(Fault::NoDomain);
    }
    if domain.starts_with('[') {
        return Err(Fault::NumericDomain);
    }
    let ascii_domain = if domain.is_ascii() {
        None
    } else {
        Some(idna::domain_to_ascii_strict(domain).map_err(|_| Fault::DomainCharacter)?)
    };
    judge_domain(ascii_domain.as_deref().unwrap_or(domain))?;
    let length = local.len() + 1 + ascii_domain.as_deref().unwrap_or(domain).len();
    if length.max(text.len()) > MAX_ADDRESS { Err(Fault::TooLong) } else { Ok(ascii_domain) }
}

/// A dot-atom (RFC 5322, section 3.2.3) with the further letters of RFC 6531.
pub(crate) fn judge_local(local: &str) -> Result<(), Fault> {
    if local.is_empty() {
        return Err(Fault::NoLocalPart);
    }
    if local.len() > MAX_LOCAL {
        return Err(Fault::TooLong);
    }
    if local.starts_with('.') || local.ends_with('.') || local.contains("..") {
        return Err(Fault::MisplacedDot);
    }
    if local.chars().all(|c| !c.is_ascii() || is_atom_text(c)) { Ok(()) } else { Err(Fault::LocalCharacter) }
}

/// Letters, digits and hyphens (RFC 1123, section 2.1) in two or more labels, of which the last is of letters or, like any
/// other, an A-label (RFC 5890) that stands for something.
pub(crate) fn judge_domain(domain: &str) -> Result<(), Fault> {
    const MAX_DOMAIN: usize = 253;
    if domain.len() > MAX_DOMAIN {
        return Err(Fault::TooLong);
    }
    let is_a_label = |label: &str| label.get(..4).is_some_and(|head| head.eq_ignore_ascii_case("xn--"));
    let mut labels = 0;
    let mut last = "";
    for label in domain.split('.') {
        if label.is_empty() {
            return Err(Fault::MisplacedDot);
        }
        if label.len() > MAX_LABEL {
            return Err(Fault::TooLong);
        }
        if !label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-') {
            return Err(Fault::DomainCharacter);
        }
        // Two hyphens there are kept for A-labels and what may follow them (RFC 5891, section 4.2.3.1).
        let is_kept = label.get(2..4) == Some("--") && !is_a_label(label);
        if label.starts_with('-') || label.ends_with('-') || is_kept {
            return Err(Fault::MisplacedHyphen);
        }
        labels += 1;
        last = label;
    }
    if labels < 2 {
        return Err(Fault::OneLabelDomain);
    }
    if last.bytes().all(|byte| byte.is_ascii_digit()) {
        return Err(Fault::NumericDomain);
    }
    // No country has a code of one letter, and no other label is shorter.
    let is_word = last.len() > 1 && last.bytes().all(|byte| byte.is_ascii_alphabetic());
    let can_exist = is_word || is_a_label(last);
    let passes_idna = !domain.split('.').any(is_a_label) || idna::domain_to_ascii_strict(domain).is_ok();
    if can_exist && passes_idna { Ok(()) } else { Err(Fault::DomainCharacter) }
}

/// The A-labels of a domain, in lower case, where the text is one of two or more labels.
pub fn domain(text: &str) -> Option<String> {
    let text = text.trim_matches(is_unseen).trim_end_matches(['.', ';', ',']);
    let lower = if text.is_ascii() { text.to_ascii_lowercase() } else { idna::domain_to_ascii_strict(text).ok()? };
    judge_domain(&lower).ok().map(|()| lower)
}

/// An address as it is, and with its domain as A-labels (RFC 5890) and as Unicode labels, as far as these differ.
///
/// ```
/// use pebblebank_values::address_syntax::domain_forms;
/// assert_eq!(domain_forms("ida@m\u{fc}ller.example"), ["ida@m\u{fc}ller.example", "ida@xn--mller-kva.example"]);
/// ```
pub fn domain_forms(address: &str) -> Vec<String> {
    let mut forms = vec![address.to_owned()];
    if let Some((local, written)) = address.rsplit_once('@') {
        let unicode = match idna::domain_to_unicode(written) {
            (unicode, Ok(())) => Some(unicode),
            (_, Err(_)) => None,
        };
        let others = domain(written).into_iter().chain(unicode).filter(|other| other != written);
        forms.extend(others.map(|other| format!("{local}@{other}")));
    }
    forms
}

/// An address with its domain as A-labels (RFC 5890), where it has a domain that can be one.
///
/// ```
/// use pebblebank_values::address_syntax::with_a_labels;
/// assert_eq!(with_a_labels("ida@m\u{fc}ller.example").as_deref(), Some("ida@xn--mller-kva.example"));
/// ```
pub fn with_a_labels(address: &str) -> Option<String> {
    let (local, written) = address.rsplit_once('@')?;
    Some(format!("{local}@{}", domain(written)?))
}

/// Whether an ASCII character may are in a dot-atom (RFC 5322, section 3.2.3).
pub(crate) fn is_atom_text(c: char) -> bool {
    c.is_ascii_alphanumeric() || "!#$%&'*+-/=?^_`{|}~.".contains(c)
}
