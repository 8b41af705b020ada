//! Blocks and values as JSON, schema version 1.

use std::collections::BTreeMap;
use std::sync::Arc;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::{Map, Value as Json, json};
use vectorum_core::{Block, Delta, Difference, ListChange, ListDelta, Name, Selection};

use super::Failure;

/// The version of the schema, at the top of every document.
pub(crate) const SCHEMA: u32 = 1;

/// Returns bytes as a string, or as `{"b64": …}` where they are not UTF-8.
pub(crate) fn bytes(bytes: &[u8]) -> Json {
    match std::str::from_utf8(bytes) {
        Ok(text) => Json::String(text.to_owned()),
        Err(_) => json!({ "b64": BASE64_STANDARD.encode(bytes) }),
    }
}

/// Reads what [`bytes`] returned.
pub(crate) fn to_bytes(json: &Json) -> Option<Vec<u8>> {
    match json {
        Json::String(text) => Some(text.clone().into_bytes()),
        other => BASE64_STANDARD.decode(other.get("b64")?.as_str()?).ok(),
    }
}

/// Adds `vars` and, where they do not say all, `raw`.
pub(crate) fn put_block(document: &mut Map<String, Json>, block: &Block, selection: &Selection) {
    let named = |name: &[u8]| std::str::from_utf8(name).ok().map(str::to_owned);
    let chosen = block.vars().filter(|(n, _)| selection.takes(n.as_bytes()));
    let vars: Map<String, Json> = chosen.filter_map(|(n, v)| Some((named(n.as_bytes())?, bytes(v.as_bytes())))).collect();
    document.insert("vars".to_owned(), vars.into());
    if !block.is_plain() {
        let taken = |e: &vectorum_core::Entry<'_>| match e.name() {
            Some(name) => selection.takes(name),
            None => selection.is_everything(),
        };
        let raw: Vec<Json> = block.entries().filter(taken).map(|e| bytes(e.raw())).collect();
        document.insert("raw".to_owned(), raw.into());
    }
}

/// Values of which only fingerprints are known, by name, on both sides of a comparison.
#[derive(Clone, Debug, Default)]
pub(crate) struct Masked {
    pub(crate) a: Arc<BTreeMap<Name, String>>,
    pub(crate) b: Arc<BTreeMap<Name, String>>,
}

/// Returns the differences of two blocks, without the names of the two.
pub(crate) fn delta(delta: &Delta, masked: &Masked) -> Map<String, Json> {
    let value = |side: &BTreeMap<Name, String>, name: &Name, value: &vectorum_core::Value| match side.get(name) {
        Some(print) => json!({ "masked": print }),
        None => bytes(value.as_bytes()),
    };
    let (mut only_a, mut only_b, mut different) = (Map::new(), Map::new(), Map::new());
    for (name, difference) in &delta.names {
        let key = String::from_utf8_lossy(name.as_bytes()).into_owned();
        match difference {
            Difference::Dropped(old) => only_a.insert(key, value(&masked.a, name, old)),
            Difference::Born(new) => only_b.insert(key, value(&masked.b, name, new)),
            Difference::Changed { before, after } => {
                let mut entry = Map::new();
                entry.insert("a".to_owned(), value(&masked.a, name, before));
                entry.insert("b".to_owned(), value(&masked.b, name, after));
                if let Some(list) = ListDelta::between(name.as_bytes(), before.as_bytes(), after.as_bytes()) {
                    let of = |change| list.with(change).map(|row| bytes(&row.item)).collect::<Vec<_>>();
                    let list = json!({ "added": of(ListChange::Added), "removed": of(ListChange::Removed), "moved": of(ListChange::Moved) });
                    entry.insert("list".to_owned(), list);
                }
                different.insert(key, entry.into())
            }
        };
    }
    let mut document = Map::new();
    document.insert("equal".to_owned(), delta.is_empty().into());
    document.insert("only_a".to_owned(), only_a.into());
    document.insert("only_b".to_owned(), only_b.into());
    document.insert("different".to_owned(), different.into());
    if !delta.hidden_before.is_empty() || !delta.hidden_after.is_empty() {
        document.insert("hidden_a".to_owned(), all(&delta.hidden_before));
        document.insert("hidden_b".to_owned(), all(&delta.hidden_after));
    }
    document
}

fn all<B: AsRef<[u8]>>(entries: &[B]) -> Json {
    entries.iter().map(|e| bytes(e.as_ref())).collect()
}

/// Prints a document with the schema's version at its top.
pub(crate) fn print(fields: Map<String, Json>) -> Result<(), Failure> {
    let mut document = Map::new();
    document.insert("vectorum".to_owned(), SCHEMA.into());
    document.extend(fields);
    let text = serde_json::to_string_pretty(&Json::Object(document)).map_err(|e| Failure::new(e.to_string()))?;
    super::output::print(format!("{text}\n").as_bytes())
}
