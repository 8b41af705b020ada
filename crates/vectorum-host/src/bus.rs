//! What a running service manager says and does, over D-Bus (org.freedesktop.systemd1(5)).
//!
//! Anybody may ask the system's manager over the system's bus; an account's own answers on the bus of
//! that account, to that account only.

use std::collections::HashMap;
use std::path::Path;
use std::time::Duration;

use bytes::Bytes;
use zbus::blocking::Connection;
use zbus::blocking::connection::Builder;
use zbus::zvariant::{OwnedObjectPath, OwnedValue, Value};

/// A running manager.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Manager {
    /// The system's.
    System,
    /// An account's own, by the account's number.
    User(u32),
}

/// Why a manager does not answer.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum BusError {
    /// None runs, or it may not be asked.
    #[error("{0} is not running, or may not be asked")]
    NotThere(&'static str),
    /// It answers with an error.
    #[error("the service manager: {0}")]
    Refused(#[from] zbus::Error),
}

const MANAGER: &str = "/org/freedesktop/systemd1";
const NAME: &str = "org.freedesktop.systemd1";
const PATIENCE: Duration = Duration::from_secs(5);

/// What a unit gives to its programs' blocks: copied to a unit of the moment.
const COPIED: &[&str] = &[
    "Environment",
    "EnvironmentFiles",
    "PassEnvironment",
    "UnsetEnvironment",
    "User",
    "Group",
    "DynamicUser",
    "PAMName",
    "SupplementaryGroups",
];

impl Manager {
    fn name(self) -> &'static str {
        match self {
            Manager::System => "the system's service manager",
            Manager::User(_) => "the account's service manager",
        }
    }

    /// Takes the system's bus, or the account's own. (The sockets of the managers themselves name no
    /// sender as a bus does, and the library takes no such message.)
    fn connect(self) -> Result<Connection, BusError> {
        let there = match self {
            Manager::System => "/run/dbus/system_bus_socket".to_owned(),
            Manager::User(uid) => format!("/run/user/{uid}/bus"),
        };
        if !Path::new(&there).exists() {
            return Err(BusError::NotThere(self.name()));
        }
        let connection = Builder::address(format!("unix:path={there}").as_str())?.method_timeout(PATIENCE).build();
        connection.map_err(|_| BusError::NotThere(self.name()))
    }

    /// Returns the block that it gives to its services, before their own settings.
    ///
    /// # Errors
    /// If none runs, or it may not be asked.
    pub fn environment(self) -> Result<Vec<Bytes>, BusError> {
        let connection = self.connect()?;
        let to = Some(NAME);
        let asked = (format!("{NAME}.Manager"), "Environment");
        let reply = connection.call_method(to, MANAGER, Some("org.freedesktop.DBus.Properties"), "Get", &asked)?;
        let value: OwnedValue = reply.body().deserialize()?;
        let entries = Vec::<String>::try_from(value).map_err(zbus::Error::from)?;
        Ok(entries.into_iter().map(Bytes::from).collect())
    }

    /// Starts a command as a unit of the moment that gives it what another unit gives its programs; no
    /// unit gives only what the manager does.
    ///
    /// # Errors
    /// If the manager refuses.
    pub fn start_like(self, unit: Option<&str>, name: &str, command: &[&str]) -> Result<(), BusError> {
        let connection = self.connect()?;
        let to = Some(NAME);
        let manager = format!("{NAME}.Manager");
        let mut copied: HashMap<String, OwnedValue> = HashMap::new();
        if let Some(unit) = unit {
            let reply = connection.call_method(to, MANAGER, Some(manager.as_str()), "LoadUnit", &unit)?;
            let path: OwnedObjectPath = reply.body().deserialize()?;
            let service = format!("{NAME}.Service");
            let reply = connection.call_method(to, path.as_str(), Some("org.freedesktop.DBus.Properties"), "GetAll", &service)?;
            let all: HashMap<String, OwnedValue> = reply.body().deserialize()?;
            copied = all.into_iter().filter(|(name, _)| COPIED.contains(&name.as_str())).collect();
        }
        let program = command.first().copied().unwrap_or_default();
        let mut properties: Vec<(&str, Value<'_>)> = vec![
            ("Description", Value::from("a look at the block that a service gets")),
            ("Type", Value::from("oneshot")),
            ("CollectMode", Value::from("inactive-or-failed")),
            ("ExecStart", Value::from(vec![(program, command.to_vec(), false)])),
        ];
        for (name, value) in &copied {
            properties.push((name.as_str(), Value::from(value.clone())));
        }
        let others: Vec<(&str, Vec<(&str, Value<'_>)>)> = Vec::new();
        connection.call_method(to, MANAGER, Some(manager.as_str()), "StartTransientUnit", &(name, "fail", properties, others))?;
        Ok(())
    }
}
