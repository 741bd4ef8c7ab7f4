//! Addresses of networks and of network cards as their types write them
//! (<https://www.postgresql.org/docs/current/datatype-net-types.html>).

use std::net::IpAddr;

/// An `inet` or, if `is_network`, a `cidr`: the length of the network is written unless it is the whole address of an `inet`.
pub fn address(text: &str, is_network: bool) -> Option<String> {
    let (address, length) = match text.trim().split_once('/') {
        Some((address, length)) => (address, Some(length.parse::<u8>().ok()?)),
        None => (text.trim(), None),
    };
    let parts = address.split('.').count();
    let address: IpAddr = if address.contains(':') || parts == 4 {
        address.parse().ok()?
    } else if length.is_some() && parts < 4 {
        // 10/8: what is not written is zero.
        format!("{address}{}", ".0".repeat(4 - parts)).parse().ok()?
    } else {
        return None;
    };
    let whole = if address.is_ipv4() { 32 } else { 128 };
    match length.unwrap_or(whole) {
        length if length > whole => None,
        length if length == whole && !is_network => Some(address.to_string()),
        length => Some(format!("{address}/{length}")),
    }
}

/// A `macaddr` or `macaddr8`: pairs of digits with colons.
pub fn card(text: &str) -> Option<String> {
    let digits: String = text.trim().chars().filter(|ch| !matches!(ch, ':' | '-' | '.')).collect();
    if !matches!(digits.len(), 12 | 16) || !digits.bytes().all(|byte| byte.is_ascii_hexdigit()) {
        return None;
    }
    let digits = digits.to_ascii_lowercase();
    let pairs: Vec<&str> = (0..digits.len()).step_by(2).map(|at| &digits[at..at + 2]).collect();
    Some(pairs.join(":"))
}
