//! Cron jobs (cron 3.0pl1).

use bytes::Bytes;

use super::login::overlay;
use super::shell::{self, Form, Start};
use super::{Account, Forecast, Ground, Reached, laid, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::{Effect, crontab, place, reader};

/// A table of jobs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    /// Its file.
    pub path: Bytes,
    /// The job's line, counted from 1.
    pub line: usize,
}

/// Returns the jobs of all tables with the names of their accounts.
pub(super) fn tables(ground: &Ground<'_>) -> Vec<(Table, Bytes)> {
    let mut files: Vec<(Bytes, Option<Bytes>)> = vec![(Bytes::from_static(b"/etc/crontab"), None)];
    let named = |folder: &str| {
        let mut names = ground.files.list(folder.as_bytes()).unwrap_or_default();
        names.sort();
        names.into_iter().map(|n| (Bytes::from([folder.as_bytes(), b"/", &n].concat()), n)).collect::<Vec<_>>()
    };
    // Other names are passed over (cron(8), Debian).
    let is_taken = |name: &Bytes| name.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-'));
    files.extend(named("/etc/cron.d").into_iter().filter(|(_, n)| is_taken(n)).map(|(path, _)| (path, None)));
    files.extend(named("/var/spool/cron/crontabs").into_iter().map(|(path, owner)| (path, Some(owner))));
    let mut out = Vec::new();
    for (path, owner) in files {
        let Content::Bytes(file) = ground.read(&path) else { continue };
        for at in crontab::jobs(&file) {
            let text = file.get(at..).unwrap_or_default();
            let text = text.split(|b| *b == b'\n').next().unwrap_or_default().trim_ascii();
            // Five fields of time, or one word that begins with @.
            let fields = if text.first() == Some(&b'@') { 1 } else { 5 };
            let word = text.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()).nth(fields);
            let Some(owner) = owner.clone().or_else(|| word.map(Bytes::copy_from_slice)) else { continue };
            out.push((Table { path: path.clone(), line: place(&file, at).0 }, owner));
        }
    }
    out
}

/// A job of a table, up to the program that its command starts.
pub fn cron_job(forecast: &mut Forecast, ground: &Ground<'_>, table: &Table, account: &Account) {
    forecast.hop("cron");
    forecast.keep("cron hands nothing of its own block on", |_| false);
    overlay(forecast, ground, "cron", account);
    if forecast.reached != Reached::Yes {
        return;
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
    let line = table.line;
    let Some(job) = crontab::jobs(&file).into_iter().find(|at| place(&file, *at).0 == line) else {
        return forecast.fails("the table has no job in this line", None);
    };
    let form = Form::of(file.get(job..).unwrap_or_default().split(|b| *b == b'\n').next().unwrap_or_default());
    // Only what stands above the job counts for it.
    let above = laid(&table.path, &file, reading).into_iter().filter(|l| l.site.line < line);
    forecast.lay(above.filter(|l| matches!(l.effect, Effect::Set(_))).collect());
    let shell = forecast.known(b"SHELL").cloned().unwrap_or_default();
    let folder = forecast.known(b"HOME").cloned().unwrap_or_default();
    shell::run(forecast, ground, &shell, Start::Command(form), account, &folder);
}
