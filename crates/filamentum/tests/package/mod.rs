//! The Debian package: what is in it, and what its service may do.

use std::path::PathBuf;
use std::process::Command;

fn run(program: &str, arguments: &[&str]) -> String {
    let output = Command::new(program).args(arguments).output().unwrap();
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn the_package_holds_what_a_machine_needs() {
    let house = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../..");
    let script = house.join("script/package").display().to_string();
    let made = run(&script, &[env!("CARGO_BIN_EXE_filamentum")]);
    let package = house.join(made.trim()).display().to_string();
    let listed = run("dpkg-deb", &["-c", &package]);
    for (mode, path) in [
        ("-rwxr-xr-x root/root", "./usr/bin/filamentum"),
        ("-rw-r--r-- root/root", "./lib/systemd/system/filamentum.service"),
        ("-rw-r----- root/root", "./etc/filamentum/filamentum.toml"),
        ("-rw-r--r-- root/root", "./usr/share/doc/filamentum/operating.md"),
        ("-rw-r--r-- root/root", "./usr/share/doc/filamentum/copyright"),
    ] {
        let line = listed.lines().find(|line| line.ends_with(path));
        assert!(line.is_some_and(|line| line.starts_with(mode)), "{path}: {line:?}");
    }
    let control = run("dpkg-deb", &["-f", &package]);
    assert!(control.contains("Package: filamentum") && control.contains("mariadb-server-core"), "{control}");
    let folder = tempfile::tempdir().unwrap();
    run("dpkg-deb", &["-R", &package, &folder.path().display().to_string()]);
    let read = |name: &str| std::fs::read_to_string(folder.path().join(name)).unwrap();
    assert_eq!(
        read("DEBIAN/conffiles"),
        "/etc/filamentum/filamentum.toml\n",
        "what was changed by hand is kept"
    );
    let file = read("etc/filamentum/filamentum.toml");
    assert!(
        file.contains("\ndata = \"/var/lib/filamentum/data\"") && file.contains("\nbackups = \"/var/lib")
    );
    let unit = read("lib/systemd/system/filamentum.service");
    for hardening in [
        "User=filamentum",
        "NoNewPrivileges=yes",
        "ProtectSystem=strict",
        "CapabilityBoundingSet=\n",
        "SystemCallFilter=@system-service",
        "UMask=0077",
    ] {
        assert!(unit.contains(hardening), "{hardening}");
    }
    // Data outlive the package, whichever way it goes.
    for script in ["postinst", "prerm", "postrm"] {
        let text = read(&format!("DEBIAN/{script}"));
        assert!(!text.contains("rm -rf /var"), "{script}");
    }
}
