//! How much memory a run may take, as people write it.

/// The limit by default: 1 GiB.
pub const DEFAULT_MEMORY: u64 = 1 << 30;

/// Reads "800 MiB", "2G", "1073741824": bytes, or binary multiples of them. None where it is no such text.
///
/// ```
/// use pebblebank_core::job::memory::parse;
/// assert_eq!(parse("2 GiB"), Some(2 << 30));
/// assert_eq!(parse("plenty"), None);
/// assert_eq!(parse("17179869185 GiB"), None, "more than can be counted");
/// ```
pub fn parse(text: &str) -> Option<u64> {
    parse_size::Config::new().with_binary().parse_size(text.trim()).ok()
}
