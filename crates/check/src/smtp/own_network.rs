//! Which addresses stand on the internet, and which in somebody's own network: a domain could name one of those to have it asked.

use std::net::IpAddr;

/// Whether an address stands on the internet (RFC 6890).
pub fn is_public(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(address) => {
            let [first, second, ..] = address.octets();
            let is_shared = first == 100 && (64..128).contains(&second);
            !(address.is_loopback()
                || address.is_private()
                || address.is_link_local()
                || address.is_broadcast()
                || address.is_multicast()
                || first == 0
                || is_shared)
        }
        IpAddr::V6(address) => {
            if let Some(address) = address.to_ipv4_mapped() {
                return is_public(IpAddr::V4(address));
            }
            let first = address.segments()[0];
            let is_own = first & 0xfe00 == 0xfc00 || first & 0xffc0 == 0xfe80;
            !(address.is_loopback() || address.is_unspecified() || address.is_multicast() || is_own)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[rstest::rstest]
    #[case(&["203.0.113.7", "2001:db8::1", "100.128.0.1", "172.32.0.1"], true)]
    #[case(&["127.0.0.1", "10.0.0.5", "172.16.1.1", "192.168.1.1", "169.254.169.254", "100.64.0.1", "0.0.0.0"], false)]
    #[case(&["::1", "::", "fd00::1", "fe80::1", "::ffff:10.0.0.1", "ff02::1"], false)]
    fn machines_of_ones_own_network_are_told_from_the_internet(#[case] addresses: &[&str], #[case] expected: bool) {
        for address in addresses {
            assert_eq!(is_public(address.parse().expect("an address")), expected, "{address}");
        }
    }
}
