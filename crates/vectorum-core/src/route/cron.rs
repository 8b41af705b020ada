//! Cron jobs (cron 3.0pl1).

use bytes::Bytes;

use super::pam::PamSet;
use super::shell::{self, Start};
use super::{Account, Forecast, Ground, laid, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::{Effect, crontab, place, reader};

/// A table of jobs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    /// Its file.
    pub path: Bytes,
    /// The job, by its place among the table's jobs.
    pub job: usize,
}

/// A job of a table, up to the program that its command starts.
pub fn cron_job(forecast: &mut Forecast, ground: &Ground<'_>, table: &Table, account: &Account) {
    forecast.hop("cron");
    forecast.keep("cron hands nothing of its own block on", |_| false);
    forecast.hop("PAM session of cron");
    let mut set = PamSet::default();
    set.session(ground, b"cron", account);
    let unknown = set.unknown;
    forecast.lay(set.entries());
    if let Some(why) = unknown {
        forecast.open(why, None);
    }
    forecast.hop(format!("the table {}", String::from_utf8_lossy(&table.path)));
    forecast.set(b"SHELL", "/bin/sh");
    forecast.set(b"PATH", "/usr/bin:/bin");
    forecast.set(b"HOME", &account.home);
    forecast.set(b"LOGNAME", &account.name);
    let file = match ground.read(&table.path) {
        Content::Bytes(file) => file,
        Content::Missing => return forecast.fails("the table is not there", None),
        Content::Denied => return forecast.open("the table may not be read", None),
    };
    let Some(reader) = reader("crontab") else { return };
    let reading = reader.read(&file, &surroundings(account, Block::empty()));
    if let Some(complaint) = reading.complaints.iter().find(|c| c.is_fatal) {
        let site = super::Site { path: table.path.clone(), line: place(&file, complaint.at).0 };
        return forecast.fails("cron ignores a whole table with such a line", Some(site));
    }
    if file.last() != Some(&b'\n') {
        return forecast.fails("cron ignores a table whose last line has no end", None);
    }
    let Some(job) = crontab::jobs(&file).get(table.job).copied() else {
        return forecast.fails("the table has no such job", None);
    };
    let line = place(&file, job).0;
    // Only what stands above the job counts for it.
    let above = laid(&table.path, &file, reading).into_iter().filter(|l| l.site.line < line);
    forecast.lay(above.filter(|l| matches!(l.effect, Effect::Set(_))).collect());
    let shell = forecast.known(b"SHELL").cloned().unwrap_or_default();
    let folder = forecast.known(b"HOME").cloned().unwrap_or_default();
    shell::run(forecast, ground, &shell, Start::Command, account, &folder);
}
