//! Consumers that are a part of the system: service managers, PAM, cron, sshd, sudo. Each is started
//! for real, in namespaces of its own; the machine's files are left alone. Needs root.

use std::fs;
use std::io::{BufRead, BufReader, Read, Write};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixListener;
use std::path::Path;
use std::process::{Command, Stdio};

pub(crate) const IDS: &[&str] = &[
    "systemd-environment-file",
    "systemd-environment",
    "environment-d",
    "pam-env-file",
    "pam-env-conf",
    "crontab",
    "ssh-environment",
    "sudo-env-file",
    "podman-env-file",
];

/// How many assignments one file gets: where a start takes its time, more.
pub(crate) fn batch(id: &str) -> usize {
    match id {
        // A job starts with the next minute.
        "crontab" => 4000,
        "ssh-environment" | "environment-d" | "systemd-environment" | "systemd-environment-file" => 500,
        _ => 150,
    }
}

fn script(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts").join(name)
}

fn put(path: &Path, text: impl AsRef<[u8]>, mode: u32) {
    fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
    fs::write(path, text).expect("a file");
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).expect("its mode");
}

/// Lets a consumer read a file. What its child received is in `out` in the folder afterwards, entries
/// ended by NULs.
pub(crate) fn consume(id: &str, folder: &Path, file: &Path) {
    let bytes = fs::read(file).expect("the file");
    let at = folder.display();
    match id {
        "systemd-environment-file" | "systemd-environment" | "environment-d" => user_manager(id, folder, &bytes),
        "pam-env-file" | "pam-env-conf" => {
            let options = match id {
                "pam-env-file" => format!("conffile=/dev/null readenv=1 envfile={}", file.display()),
                _ => format!("conffile={} readenv=0", file.display()),
            };
            let stack = format!(
                "auth sufficient pam_rootok.so\naccount sufficient pam_permit.so\nsession required pam_env.so {options}\n"
            );
            put(&folder.join("pam.d/su"), stack, 0o644);
            private(&format!(
                "mount --bind {at}/pam.d /etc/pam.d\nenv -i PATH=/usr/bin:/bin su -s /bin/sh nobody -c '/usr/bin/env -0' >{at}/out"
            ));
        }
        "sudo-env-file" => {
            let policy = format!("Defaults env_file={}\nroot ALL=(ALL) NOPASSWD: ALL\n", file.display());
            put(&folder.join("sudoers"), policy, 0o440);
            private(&format!(
                "mount --bind {at}/sudoers /etc/sudoers\nenv -i PATH=/usr/bin:/bin sudo -n -u nobody /usr/bin/env -0 >{at}/out"
            ));
        }
        "crontab" => {
            let job = format!("* * * * * root /usr/bin/env -0 >{at}/new 2>{at}/err; mv {at}/new {at}/out\n");
            put(&folder.join("cron.d/probe"), [&bytes[..], job.as_bytes()].concat(), 0o644);
            put(&folder.join("empty/none"), "", 0o644);
            private(&format!(
                "mount --bind {at}/cron.d /etc/cron.d\nmount --bind {at}/empty /var/spool/cron\nmount -t tmpfs tmpfs /run\n\
                 [ ! -e /etc/crontab ] || mount --bind {at}/empty/none /etc/crontab\n\
                 cron -f &\ncron=$!\nfor second in $(seq 130); do [ -e {at}/out ] && break; sleep 1; done\nkill $cron"
            ));
        }
        "ssh-environment" => {
            let home = folder.join("ssh");
            put(&home.join("environment"), &bytes, 0o600);
            let config = format!(
                "PermitUserEnvironment yes\nUsePAM no\nPermitRootLogin yes\nStrictModes no\nHostKey {at}/ssh/host\n\
                 AuthorizedKeysFile {at}/ssh/key.pub\nPidFile none\n"
            );
            put(&home.join("config"), config, 0o600);
            private(&format!(
                "mkdir -p ~root/.ssh\nmount --bind {at}/ssh ~root/.ssh\nmount -t tmpfs tmpfs /run\nmkdir /run/sshd\n\
                 cd {at}/ssh\nfor k in host key; do [ -e $k ] || ssh-keygen -q -t ed25519 -N '' -f $k; done\n\
                 ssh -q -F none -i key -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o IdentitiesOnly=yes \
                 -o ProxyCommand='/usr/sbin/sshd -i -q -f {at}/ssh/config' root@pier-4 '/usr/bin/env -0' >{at}/out"
            ));
        }
        "container-env-file" => {
            let body = posted_by_client(folder, file);
            put_list(folder, body.get("Env"));
        }
        "podman-env-file" => {
            // It takes no longer path than one of 50 bytes there.
            let run = folder.join("run");
            let podman = |arguments: &[&std::ffi::OsStr]| {
                let mut command = Command::new("podman");
                command.arg("--root").arg(folder.join("root")).arg("--runroot").arg(&run);
                command.args(["--storage-driver", "vfs", "--cgroup-manager", "cgroupfs", "--events-backend", "none"]);
                let output = command.args(arguments).stdin(Stdio::null()).output().expect("podman");
                output.status.success().then(|| String::from_utf8(output.stdout).expect("text").trim().to_owned())
            };
            let image = folder.join("image.tar");
            if !image.exists() {
                // Two blocks of zeros are an archive of nothing.
                put(&image, [0; 1024], 0o644);
                podman(&["import".as_ref(), "-q".as_ref(), image.as_os_str(), "pier".as_ref()]).expect("an image");
            }
            let create = ["create", "-q", "--env-file"].map(std::ffi::OsStr::new);
            let Some(made) = podman(&[&create[..], &[file.as_os_str(), "pier".as_ref(), "x".as_ref()]].concat()) else { return };
            let made = made.as_ref();
            let inspect = ["inspect", "--format", "{{json .Config.Env}}"].map(std::ffi::OsStr::new);
            let list = podman(&[&inspect[..], &[made]].concat()).expect("its configuration");
            put_list(folder, serde_json::from_str(&list).ok().as_ref());
            podman(&["rm".as_ref(), made]);
        }
        other => panic!("no such consumer: {other}"),
    }
}

/// Puts a list of entries down as a block.
fn put_list(folder: &Path, list: Option<&serde_json::Value>) {
    let list = list.and_then(|e| e.as_array()).cloned().unwrap_or_default();
    let entries: String = list.iter().filter_map(|e| e.as_str()).map(|e| format!("{e}\0")).collect();
    put(&folder.join("out"), entries, 0o644);
}

/// Runs a script as root in mount and process namespaces of its own.
fn private(text: &str) {
    let status = Command::new("unshare")
        .args(["--mount", "--pid", "--fork", "--kill-child", "--mount-proc", "sh", "-e", "-c", text])
        .env_clear()
        .env("PATH", "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin")
        .env("HOME", "/root")
        .stdin(Stdio::null())
        .output()
        .expect("unshare");
    let error = String::from_utf8_lossy(&status.stderr);
    assert!(status.status.success() || error.is_empty(), "these tests need root: {error}\n{text}");
}

/// Starts a whole user manager that finds the file in its place, and a service of it.
fn user_manager(id: &str, folder: &Path, bytes: &[u8]) {
    let (upper, shared) = (folder.join("upper"), folder.join("shared"));
    let _ = fs::remove_dir_all(&upper);
    fs::create_dir_all(&shared).expect("a folder");
    fs::set_permissions(&shared, fs::Permissions::from_mode(0o777)).expect("its mode");
    let _ = fs::remove_file(shared.join("out"));
    let home = upper.join("home/odile/.config");
    let mut unit = b"[Service]\nType=oneshot\nExecStart=/usr/bin/env -0\nStandardOutput=truncate:/vectorum-shared/out\n".to_vec();
    match id {
        "systemd-environment-file" => {
            put(&upper.join("home/odile/file"), bytes, 0o644);
            unit.extend(b"EnvironmentFile=/home/odile/file\n");
        }
        "systemd-environment" => unit.extend(bytes),
        _ => put(&home.join("environment.d/50-case.conf"), bytes, 0o644),
    }
    put(&home.join("systemd/user/probe.service"), unit, 0o644);
    let output = Command::new(script("with-user-manager"))
        .args(["--user", "odile:2001:/bin/bash", "--upper"])
        .arg(&upper)
        .arg("--bind")
        .arg(format!("{}:/vectorum-shared", shared.display()))
        .args(["--", "systemctl", "--user", "start", "probe.service"])
        .stdin(Stdio::null())
        .output()
        .expect("a user manager");
    let error = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.code() != Some(125) && output.status.code() != Some(2), "{error}");
    if output.status.success() {
        fs::copy(shared.join("out"), folder.join("out")).expect("what the service received");
    }
}

/// Plays the engine to a container client and returns what it posts.
fn posted_by_client(folder: &Path, file: &Path) -> serde_json::Value {
    let socket = folder.join("engine");
    let _ = fs::remove_file(&socket);
    let listener = UnixListener::bind(&socket).expect("a socket");
    let mut client = Command::new("docker");
    client.args(["create", "--env-file"]).arg(file).arg("pier").env("DOCKER_HOST", format!("unix://{}", socket.display()));
    let client = client.stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("the client docker");
    // When it ends without a word, it has refused the file.
    let (told, hears) = std::sync::mpsc::channel();
    std::thread::spawn(move || {
        let mut client = client;
        let _ = client.wait();
        let _ = told.send(());
        let _ = std::os::unix::net::UnixStream::connect(socket);
    });
    loop {
        let (stream, _) = listener.accept().expect("a connection");
        if hears.try_recv().is_ok() {
            return serde_json::Value::Null;
        }
        let mut reader = BufReader::new(stream.try_clone().expect("a stream"));
        loop {
            let (mut request, mut length) = (String::new(), 0);
            if reader.read_line(&mut request).unwrap_or(0) == 0 {
                break;
            }
            loop {
                let mut header = String::new();
                reader.read_line(&mut header).expect("a header");
                let header = header.trim().to_ascii_lowercase();
                length = header.strip_prefix("content-length:").and_then(|n| n.trim().parse().ok()).unwrap_or(length);
                if header.is_empty() {
                    break;
                }
            }
            let mut body = vec![0; length];
            reader.read_exact(&mut body).expect("a body");
            if request.contains("/containers/create") {
                let mut stream = stream;
                let _ = stream.write_all(b"HTTP/1.1 201 Created\r\nContent-Length: 20\r\n\r\n{\"Id\":\"4444444444\"} \n");
                return serde_json::from_slice(&body).expect("a configuration");
            }
            let answer = "HTTP/1.1 200 OK\r\nApi-Version: 1.41\r\nOSType: linux\r\nContent-Length: 2\r\n\r\n";
            let answer = if request.starts_with("HEAD") { answer.to_owned() } else { format!("{answer}OK") };
            if (&stream).write_all(answer.as_bytes()).is_err() {
                break;
            }
        }
    }
}
