//! Under which names it is asked. A server of this machine alone is not asked under a name of the web: a page of a stranger
//! whose name was made to lead here would read it with the browser of whoever sits at this machine.

use std::net::{IpAddr, SocketAddr};

/// The names that are good; all of them where other machines may ask.
pub(crate) struct Hosts(Option<Option<String>>);

/// A host without its port.
fn bare(host: &str) -> &str {
    let end = match host.rfind(']') {
        Some(bracket) => bracket + 1,
        None => host.find(':').unwrap_or(host.len()),
    };
    &host[..end]
}

impl Hosts {
    /// By where it listens, and what its addresses begin with from outside.
    pub(crate) fn of(listen: SocketAddr, public_address: Option<&str>) -> Self {
        let public = public_address.and_then(|a| a.split_once("://")).map(|(_, rest)| rest);
        let public = public.map(|rest| bare(rest.split('/').next().unwrap_or(rest)).to_ascii_lowercase());
        Hosts(listen.ip().is_loopback().then_some(public))
    }

    /// Whether it answers under a name.
    pub(crate) fn takes(&self, host: &str) -> bool {
        let Some(public) = &self.0 else { return true };
        let name = bare(host).to_ascii_lowercase();
        let is_address = name.trim_matches(['[', ']']).parse::<IpAddr>().is_ok();
        is_address || name == "localhost" || name.ends_with(".localhost") || public.as_deref() == Some(name.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_server_of_this_machine_has_no_name_of_the_web() {
        let hosts = |listen: &str, public: Option<&str>| Hosts::of(listen.parse().unwrap(), public);
        let local = hosts("127.0.0.1:8046", None);
        for (host, is_taken) in [
            ("127.0.0.1:8046", true),
            ("[::1]:8046", true),
            ("localhost", true),
            ("LocalHost:80", true),
            ("tern.localhost:80", true),
            ("evil.example:8046", false),
            ("localhost.evil.example", false),
            ("", false),
        ] {
            assert_eq!(local.takes(host), is_taken, "{host}");
        }
        let proxied = hosts("[::1]:8046", Some("https://Maps.example:8443/tern"));
        assert!(proxied.takes("maps.example") && proxied.takes("maps.example:443") && !proxied.takes("other.example"));
        assert!(hosts("0.0.0.0:8046", None).takes("anything.example"));
    }
}
