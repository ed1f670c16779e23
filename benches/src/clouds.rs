//! Clouds at full size: reading and ingest beside the fastest public decoder of each format, peak
//! memory, and the bytes until the first picture of a job of a hundred scans.
//!
//! `scripts/bench clouds`; each measured part runs in a process of its own,
//! so that its peak memory is its own. Millions of points: `VISTAZO_BENCH_LAZ` (40), `VISTAZO_BENCH_E57` (20).
use std::io::Write;
use std::path::Path;
use std::time::Instant;
use vistazo_core::cloud::{Order, TileNode, panorama, tiles, working};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_formats::{
    E57Writer, Extent, FormatError, LazWriter, ReadOptions, TilePack, canonical, read_source, working_cloud,
};

pub(crate) fn main() {
    let args: Vec<String> = std::env::args().collect();
    match args.get(2).map(String::as_str) {
        Some("plain-las") => plain_las(Path::new(&args[3])),
        Some("plain-e57") => plain_e57(Path::new(&args[3])),
        Some("read") => drop(read(Path::new(&args[3]))),
        Some("ingest") => ingest(Path::new(&args[3])),
        _ => all(),
    }
}

fn millions(name: &str, usual: usize) -> usize {
    std::env::var(name).ok().and_then(|v| v.parse().ok()).unwrap_or(usual)
}

fn all() {
    let folder = tempfile::tempdir().unwrap();
    let house = vistazo_sim::roundhouse();
    for (format, n) in [("laz", millions("VISTAZO_BENCH_LAZ", 40)), ("e57", millions("VISTAZO_BENCH_E57", 20))] {
        // the demo's first scan, finer, until it has about as many points
        let step = house.instrument.step * (2.5 / n as f64).sqrt();
        let instrument = Instrument { step, ..house.instrument.clone() };
        let scan = vistazo_sim::scan(
            &house.scene,
            &vistazo_sim::Scanner::perfect(&instrument),
            &house.truth.poses[0],
            0,
            1,
            &|_| true,
        )
        .unwrap()
        .into_scan()
        .unwrap();
        let path = folder.path().join(format!("scan.{format}"));
        if format == "laz" {
            let mut w = LazWriter::create(&path, Vec3::zeros(), None, false).unwrap();
            (0..scan.points.len()).for_each(|k| w.add(&scan.at(k), scan.intensity[k], None, 1, 0).unwrap());
            w.finish().unwrap();
        } else {
            let mut w = E57Writer::create(&path, "g").unwrap();
            w.add("scan", "s", &scan, None, true, &|_| true).unwrap();
            w.finish().unwrap();
        }
        let size = std::fs::metadata(&path).unwrap().len();
        println!("{format}: {:.1} million points, {:.0} MB", scan.points.len() as f64 / 1e6, size as f64 / 1e6);
        drop(scan);
        let plain = part(if format == "laz" { "plain-las" } else { "plain-e57" }, &path);
        let own = part("read", &path);
        let whole = part("ingest", &path);
        println!("  fastest public decoder: {:.2} s", plain.0);
        println!(
            "  our reader, into a scan with its grid: {:.2} s, {:.2} times that, peak {:.2} GiB",
            own.0,
            own.0 / plain.0,
            own.1
        );
        println!(
            "  whole ingest (read, canonical scan, panorama, working cloud, tiles): {:.2} s, {:.2} times that, peak {:.2} GiB",
            whole.0,
            whole.0 / plain.0,
            whole.1
        );
    }
    first_picture(folder.path());
}

/// Runs a part in a process of its own; seconds and peak memory in GiB.
fn part(what: &str, path: &Path) -> (f64, f64) {
    let out =
        std::process::Command::new(std::env::current_exe().unwrap()).args(["clouds", what]).arg(path).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let text = String::from_utf8(out.stdout).unwrap();
    print!("{}", text.lines().filter(|l| l.starts_with("  ")).map(|l| format!("  {l}\n")).collect::<String>());
    let last: Vec<f64> = text.lines().last().unwrap().split(' ').map(|v| v.parse().unwrap()).collect();
    (last[0], last[1])
}

fn report(begin: Instant) {
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let peak = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).unwrap();
    let kib: f64 = peak.split_whitespace().next().unwrap().parse().unwrap();
    println!("{} {}", begin.elapsed().as_secs_f64(), kib / f64::from(1 << 20));
}

/// Decoding alone, by all cores, into the bytes of the records: what lazrs is made of.
fn plain_las(path: &Path) {
    let begin = Instant::now();
    let mut reader = las::Reader::from_path(path).unwrap();
    let mut data = las::PointDataBuilder::new().for_header(reader.header()).build();
    let mut sum = 0_u64;
    while reader.fill_points(3_000_000, &mut data).unwrap() > 0 {
        sum += u64::from(data.raw_bytes()[0]);
    }
    std::hint::black_box(sum);
    report(begin);
}

/// By libE57Format, all columns of the scan into arrays; by the crate where Python has no binding to it.
fn plain_e57(path: &Path) {
    const SCRIPT: &str = "import pye57, resource, sys, time\nt = time.time()\npye57.E57(sys.argv[1]).read_scan_raw(0)\nprint(time.time() - t, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1048576)";
    let out = std::process::Command::new("python3").arg("-c").arg(SCRIPT).arg(path).output();
    if let Some(out) = out.ok().filter(|o| o.status.success()) {
        println!("  decoded by libE57Format");
        println!("{}", String::from_utf8(out.stdout).unwrap().trim());
        return;
    }
    println!("  decoded by the e57 crate: no pye57");
    let begin = Instant::now();
    let mut reader = e57::E57Reader::from_file(path).unwrap();
    let cloud = reader.pointclouds().remove(0);
    let mut sum = 0.0;
    for p in reader.pointcloud_simple(&cloud).unwrap() {
        if let e57::CartesianCoordinate::Valid { x, y, z } = p.unwrap().cartesian {
            sum += x + y + z;
        }
    }
    std::hint::black_box(sum);
    report(begin);
}

fn read(path: &Path) -> Scan {
    let begin = Instant::now();
    let mut scan = None;
    read_source(path, &ReadOptions::default(), &|_| true, &mut |s| {
        scan = Some(s.scan);
        Ok(())
    })
    .unwrap();
    report(begin);
    scan.unwrap()
}

fn ingest(path: &Path) {
    let begin = Instant::now();
    let folder = tempfile::tempdir().unwrap();
    let mut last = begin.elapsed().as_secs_f64();
    let mut said = |what: &str| {
        let now = begin.elapsed().as_secs_f64();
        println!("  {what}: {:.2} s", now - last);
        last = now;
    };
    read_source(path, &ReadOptions::default(), &|_| true, &mut |s| {
        said("read");
        let mut file = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(folder.path().join("scan"))?);
        canonical::write(&s.scan, &mut file)?;
        file.flush()?;
        said("canonical scan");
        std::hint::black_box(panorama(&s.scan, 2048));
        said("panorama");
        let (root, cloud, _) = derive(&s.scan, folder.path())?;
        said("order, working cloud and tiles");
        println!("  {} tiles, {} voxels", count(&root), cloud);
        Ok(())
    })
    .unwrap();
    report(begin);
}

fn derive(scan: &Scan, folder: &Path) -> Result<(TileNode<Extent>, usize, u64), FormatError> {
    let order = Order::of(scan);
    let (cloud, incidence) = working(scan, &order);
    std::fs::write(folder.join("cloud"), working_cloud::write(&cloud))?;
    let pack = TilePack::create(&folder.join("tiles"))?;
    let root = tiles(scan, &order, &incidence, &[], &|p| pack.add(&p))?;
    let document = pack.finish(&root)?;
    Ok((root, cloud.points.len(), document.len))
}

fn count<T>(n: &TileNode<T>) -> usize {
    1 + n.children.iter().map(count).sum::<usize>()
}

/// What a browser fetches until each of a hundred scans shows its first tile: the first document of
/// each scan and its first points. Nine different scans stand for the hundred.
fn first_picture(folder: &Path) {
    let house = vistazo_sim::roundhouse();
    let (mut bytes, mut points, mut whole) = (0, 0, 0);
    for k in 0..house.truth.poses.len() {
        let raw = vistazo_sim::scan(
            &house.scene,
            &vistazo_sim::Scanner::perfect(&house.instrument),
            &house.truth.poses[k],
            k,
            5,
            &|_| true,
        )
        .unwrap();
        let scan = raw.into_scan().unwrap();
        let (root, _, document) = derive(&scan, folder).unwrap();
        bytes += root.content.len + document;
        points += root.points;
        whole += std::fs::metadata(folder.join("tiles")).unwrap().len();
    }
    let n = house.truth.poses.len() as f64;
    println!(
        "first complete picture of a job of 100 scans of 2.5 million points: {:.1} MB in 200 requests, {:.0} thousand points; all tiles would be {:.0} MB",
        bytes as f64 / n * 100.0 / 1e6,
        points as f64 / n * 100.0 / 1e3,
        whole as f64 / n * 100.0 / 1e6
    );
}
