//! The program `vistazo`.

use rustix::process::{Resource, Rlimit, setrlimit};
use std::time::Duration;
use tokio::io::AsyncReadExt;
use vistazo_server::{App, Settings, demo, routes, tasks};

const HELP: &str = "vistazo <command>
  serve          serve pages and API, with a worker beside for the background work
  kit            serve simulated instruments by themselves (docs/device-protocol.md)
  worker         do background work only (same database and object store)
  rebuild [JOB]  make again what is derived from scans, of one job or of all
  verify         read everything that is stored and say what is damaged, missing or left over
  load-demo      make the demo job, when the database is empty
  demo-control   print the demo's control file
  openapi        print the description of the API
  add-user EMAIL NAME   add a person; the password comes on standard input
Settings: VISTAZO_DATABASE_URL, VISTAZO_DATA, VISTAZO_ADDRESS, VISTAZO_MAX_UPLOAD, VISTAZO_KEEP_FREE, VISTAZO_SCAN_SPEED,
VISTAZO_WORKER_MEMORY, VISTAZO_KIT";

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let filter =
        tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "vistazo_server=info,warn".into());
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let args: Vec<String> = std::env::args().skip(1).collect();
    match args.first().map(String::as_str) {
        Some("serve") => serve(App::open(with_kit(Settings::from_env()?).await?).await?).await,
        Some("kit") => {
            let address = std::env::var("VISTAZO_ADDRESS").unwrap_or_else(|_| "127.0.0.1:4781".into());
            println!("simulated instruments at http://{address}");
            Ok(vistazo_kit::serve(&address).await?)
        }
        Some("worker") => worker(args.get(1).is_some_and(|a| a == "--beside")).await,
        Some("rebuild") => {
            let app = App::open(Settings::from_env()?).await?;
            let job = args.get(1).map(|j| j.parse()).transpose()?;
            let n = tasks::rebuild(&app, job).await?;
            println!("{n} files are read again in the background, by whatever server or worker runs");
            Ok(())
        }
        Some("verify") => verify(&App::open(Settings::from_env()?).await?).await,
        Some("load-demo") => demo::load(&App::open(Settings::from_env()?).await?).await,
        Some("demo-control") => {
            print!("{}", demo::control_file());
            Ok(())
        }
        Some("openapi") => {
            println!("{}", routes::openapi().to_pretty_json()?);
            Ok(())
        }
        Some("add-user") if args.len() == 3 => {
            let app = App::open(Settings::from_env()?).await?;
            let mut password = String::new();
            std::io::stdin().read_line(&mut password)?;
            anyhow::ensure!(
                password.trim().len() >= 10,
                "found a password of {} characters, expected at least 10",
                password.trim().len()
            );
            let hash = vistazo_server::auth::hash_password(password.trim())?;
            let user = vistazo_store::people::add_user(&app.db, &args[1], &args[2], &hash).await?;
            println!("{} can sign in as {}", user.name, user.email);
            Ok(())
        }
        _ => {
            println!("{HELP}");
            Ok(())
        }
    }
}

/// Fails when something is damaged or missing that cannot be made again.
async fn verify(app: &App) -> anyhow::Result<()> {
    let scrub = vistazo_store::verify(&app.db, &app.objects).await?;
    for f in &scrub.faults {
        let mend = if f.derived { "; vistazo rebuild makes it again" } else { "" };
        println!("job {}: {}{mend}", f.job, f.wrong);
    }
    for key in &scrub.leftover {
        println!("left over: nothing speaks of {key}");
    }
    let lost = scrub.faults.iter().filter(|f| !f.derived).count();
    println!(
        "looked at {} objects, read {:.1} MB: {} damaged or missing, of which {} can be made again, {} left over",
        scrub.looked_at,
        scrub.bytes as f64 / 1e6,
        scrub.faults.len(),
        scrub.faults.len() - lost,
        scrub.leftover.len()
    );
    anyhow::ensure!(lost == 0, "{lost} damaged or missing");
    Ok(())
}

/// Where no bridge to instruments is named, stand-ins answer on a port of this machine.
async fn with_kit(mut settings: Settings) -> anyhow::Result<Settings> {
    if settings.stand_ins {
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
        settings.kit = format!("http://{}", listener.local_addr()?);
        tokio::spawn(vistazo_kit::serve_on(listener));
    }
    Ok(settings)
}

async fn serve(app: App) -> anyhow::Result<()> {
    let listener = tokio::net::TcpListener::bind(&app.settings.address).await?;
    println!("listening on http://{}", listener.local_addr()?);
    tokio::spawn(tasks::beside(app.clone()));
    let ending = app.clone();
    axum::serve(listener, routes::router(app)).with_graceful_shutdown(stopped(ending)).await?;
    Ok(())
}

/// Does background work only. One that runs beside a server ends with it.
async fn worker(beside: bool) -> anyhow::Result<()> {
    // its threads are there before memory is short: a file is not called damaged because none could be started
    rayon::ThreadPoolBuilder::new().build_global()?;
    limit_memory()?;
    let app = App::open(Settings::from_env()?).await?;
    let asked = async {
        let mut nothing = Vec::new();
        let mut input = tokio::io::stdin();
        tokio::select! {
            _ = input.read_to_end(&mut nothing), if beside => {}
            () = signalled() => {}
        }
    };
    tokio::select! {
        () = tasks::work(app.clone()) => {}
        () = asked => {}
    }
    // the database may have gone first
    tokio::time::timeout(Duration::from_secs(2), tasks::hand_back(&app)).await.ok();
    std::process::exit(0);
}

/// A worker takes no more address space than it is allowed: what asks for more ends it, and not the machine.
fn limit_memory() -> anyhow::Result<()> {
    let asked = std::env::var("VISTAZO_WORKER_MEMORY").ok();
    let bytes = match &asked {
        Some(v) => {
            v.parse().map_err(|_| anyhow::anyhow!("VISTAZO_WORKER_MEMORY is “{v}”, expected bytes; 0 for no limit"))?
        }
        // three quarters of the machine's
        None => std::fs::read_to_string("/proc/meminfo")
            .ok()
            .and_then(|m| m.lines().next()?.split_whitespace().nth(1)?.parse::<u64>().ok())
            .map_or(0, |kib| kib * 1024 / 4 * 3),
    };
    if bytes > 0 {
        let limit = Rlimit { current: Some(bytes), maximum: Some(bytes) };
        setrlimit(Resource::As, limit)?;
    }
    Ok(())
}

/// Waits for Ctrl-C or a request to end.
async fn signalled() {
    let Ok(mut term) = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) else { return };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = term.recv() => {}
    }
}

/// When it is asked to end, its worker hands back what it does. Streams of events would keep the server open for ever,
/// so it waits for the others no longer than two seconds.
async fn stopped(app: App) {
    signalled().await;
    tasks::hand_back(&app).await;
    tokio::spawn(async {
        tokio::time::sleep(Duration::from_secs(2)).await;
        std::process::exit(0);
    });
}
