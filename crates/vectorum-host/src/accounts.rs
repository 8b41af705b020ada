//! Names of accounts.

use std::collections::HashMap;
use std::sync::Arc;

use nix::unistd::{Uid, User};

/// Looks up account names, each number once.
#[derive(Debug, Default)]
pub struct Accounts {
    known: HashMap<u32, Arc<str>>,
}

impl Accounts {
    /// Returns the name of an account, or its number where the system knows none.
    pub fn name(&mut self, uid: u32) -> Arc<str> {
        let look_up = || match User::from_uid(Uid::from_raw(uid)) {
            Ok(Some(user)) => user.name.into(),
            _ => uid.to_string().into(),
        };
        self.known.entry(uid).or_insert_with(look_up).clone()
    }
}
