//! A database of one's own that can be killed.

use std::path::PathBuf;
use std::process::{Command, Stdio};

pub struct Cluster {
    folder: tempfile::TempDir,
    bin: PathBuf,
    port: u16,
}

impl Cluster {
    /// Makes and starts a cluster. `VISTAZO_TEST_PGBIN` says where its programs are (scripts/test
    /// sets it).
    pub fn start() -> Self {
        let bin = std::env::var("VISTAZO_TEST_PGBIN").expect("VISTAZO_TEST_PGBIN: run the tests with scripts/test");
        // not below a home folder, which the database's user cannot enter
        let folder = tempfile::Builder::new().prefix("vistazo-cluster-").tempdir_in("/var/tmp").unwrap();
        let data = folder.path().join("data");
        std::fs::create_dir(&data).unwrap();
        let port = crate::port::free();
        let cluster = Self { folder, bin: bin.into(), port };
        if root() {
            for p in [cluster.folder.path(), &data] {
                assert!(Command::new("chown").arg("postgres").arg(p).status().unwrap().success());
            }
        }
        let made = cluster.run("initdb", &["-U", "vistazo", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8"]);
        assert!(made, "initdb failed");
        assert!(cluster.restart(), "the database did not start");
        cluster
    }

    fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    fn run(&self, program: &str, args: &[&str]) -> bool {
        let program = self.bin.join(program);
        let mut command = if root() {
            let mut c = Command::new("setpriv");
            c.args(["--reuid", "postgres", "--regid", "postgres", "--clear-groups", "--"]).arg(program);
            c
        } else {
            Command::new(program)
        };
        command.arg("-D").arg(self.data()).args(args).current_dir("/").stdout(Stdio::null()).stderr(Stdio::null());
        command.status().unwrap().success()
    }

    pub fn restart(&self) -> bool {
        let settings =
            format!("-p {} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c fsync=on", self.port);
        let log = self.folder.path().join("data/log");
        self.run("pg_ctl", &["-w", "-t", "60", "-l", log.to_str().unwrap(), "-o", &settings, "start"])
    }

    /// kill -9 of the postmaster; its children notice and end.
    pub fn kill(&self) {
        let pid = std::fs::read_to_string(self.data().join("postmaster.pid")).unwrap_or_default();
        let pid = pid.lines().next().unwrap_or_default().to_owned();
        let _ = Command::new("kill").args(["-9", &pid]).status();
        // a new one refuses to start while an old child still holds the shared memory
        std::thread::sleep(std::time::Duration::from_millis(700));
    }

    pub fn url(&self) -> String {
        format!("postgres://vistazo@127.0.0.1:{}/postgres", self.port)
    }
}

fn root() -> bool {
    std::fs::metadata("/proc/self").is_ok_and(|m| std::os::unix::fs::MetadataExt::uid(&m) == 0)
}

impl Drop for Cluster {
    fn drop(&mut self) {
        self.run("pg_ctl", &["-m", "immediate", "stop"]);
    }
}
