//! Containers (crun 1.8: the OCI runtime configuration, `process`).

use bytes::Bytes;
use serde_json::Value as Json;

use super::{Forecast, Ground, Site, accounts_of};
use crate::host_view::Content;

/// The process that a bundle's configuration describes. Nothing of the caller's block reaches it.
pub fn container(forecast: &mut Forecast, ground: &Ground<'_>, bundle: &[u8]) {
    forecast.hop(format!("the container of {}", crate::inert(bundle)));
    forecast.keep("a container begins with its configuration's block", |_| false);
    let path = Bytes::from([bundle, b"/config.json"].concat());
    let file = match ground.read(&path) {
        Content::Bytes(file) => file,
        Content::Missing => return forecast.fails("the bundle has no config.json", None),
        Content::Denied => return forecast.open("the bundle's configuration may not be read", None),
    };
    let Ok(config) = serde_json::from_slice::<Json>(&file) else {
        return forecast.fails("the bundle's config.json is no JSON", Some(Site { path, line: 1 }));
    };
    let process = config.get("process");
    let entries = process.and_then(|p| p.get("env")).and_then(Json::as_array).cloned().unwrap_or_default();
    for entry in entries.iter().filter_map(Json::as_str) {
        // One without a `=` is dropped; of several of one name the last counts.
        if let Some((name, value)) = entry.split_once('=') {
            let at = memchr::memmem::find(&file, entry.as_bytes());
            let site = at.map(|at| Site { path: path.clone(), line: crate::reader::place(&file, at).0 });
            forecast.put(name.as_bytes(), super::Held::Known(Bytes::copy_from_slice(value.as_bytes())), site);
        }
    }
    if forecast.get(b"HOME").is_none() {
        home(forecast, ground, bundle, &config);
    }
}

/// HOME comes from the image's accounts, by the number of the process's user.
fn home(forecast: &mut Forecast, ground: &Ground<'_>, bundle: &[u8], config: &Json) {
    let uid = config.pointer("/process/user/uid").and_then(Json::as_u64).unwrap_or(0);
    let root = config.get("root").and_then(|r| r.get("path")).and_then(Json::as_str).unwrap_or("rootfs");
    let root = if root.starts_with('/') { root.as_bytes().to_vec() } else { [bundle, b"/", root.as_bytes()].concat() };
    let path = [&root[..], b"/etc/passwd"].concat();
    match ground.read(&path) {
        Content::Bytes(passwd) => {
            if let Some(account) = accounts_of(&passwd).into_iter().find(|a| u64::from(a.uid) == uid) {
                forecast.set(b"HOME", &account.home);
            }
        }
        Content::Missing => {}
        Content::Denied => forecast.put(b"HOME", super::Held::Unknown("the image's accounts may not be read"), None),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Block;
    use crate::host_view::MemoryTree;

    #[test]
    fn the_configuration_and_nothing_else() {
        let mut tree = MemoryTree::default();
        let config = "{\n \"process\": {\n  \"user\": {\"uid\": 7},\n  \"env\": [\"A=1\",\n   \"JUNK\",\n   \"A=2\"]\n },\n \"root\": {\"path\": \"rootfs\"}\n}\n";
        tree.file("/srv/gate/config.json", config, false);
        tree.file("/srv/gate/rootfs/etc/passwd", "gate:x:7:7::/srv:/bin/sh\n", false);
        tree.file("/srv/bad/config.json", "{", false);
        let ground = Ground::new(&tree, &[]);
        let mut forecast = Forecast::begin(&Block::from_vars([("OUTER", "1")]));
        container(&mut forecast, &ground, b"/srv/gate");
        let names: Vec<&[u8]> = forecast.vars().map(|(n, _)| &n[..]).collect();
        assert_eq!(names, [&b"A"[..], b"HOME"]);
        assert_eq!(forecast.known(b"A"), Some(&Bytes::from("2")));
        assert_eq!(forecast.get(b"A").and_then(|v| v.site.as_ref()).map(|s| s.line), Some(6));
        assert_eq!(forecast.known(b"HOME"), Some(&Bytes::from("/srv")));
        for bad in ["/srv/bad", "/nowhere"] {
            let mut forecast = Forecast::begin(&Block::empty());
            container(&mut forecast, &ground, bad.as_bytes());
            assert!(matches!(forecast.reached, super::super::Reached::No(..)), "{bad}");
        }
    }
}
