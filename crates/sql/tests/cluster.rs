//! A scheduler and executors, as real processes of the command on this machine.

mod common;

use basilocus::addresses::reference::{BuildPlan, build};
use common::{cells, districts, owners, reference, session, store};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Longer than anything here takes.
const PATIENCE: Duration = Duration::from_secs(120);

/// A process that ends with the test.
struct Process(Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Scheduler and executors.
struct Cluster {
    folder: PathBuf,
    port: u16,
    _scheduler: Process,
    executors: Vec<Process>,
}

fn start(arguments: &[String], folder: &Path) -> Process {
    let mut command = Command::new(env!("CARGO_BIN_EXE_basilocus-sql"));
    command.args(arguments).current_dir(folder).stdout(Stdio::null()).stderr(Stdio::null());
    Process(command.spawn().unwrap())
}

/// Two ports, one behind the other, that nobody uses.
fn free_ports() -> u16 {
    loop {
        let first = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = first.local_addr().unwrap().port();
        if port < u16::MAX && TcpListener::bind(("127.0.0.1", port + 1)).is_ok() {
            return port;
        }
    }
}

fn wait_for(port: u16) {
    let begun = Instant::now();
    while TcpStream::connect(("127.0.0.1", port)).is_err() {
        assert!(begun.elapsed() < PATIENCE, "nobody listens at {port}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

impl Cluster {
    fn start(folder: &Path, executors: usize) -> Self {
        let port = free_ports();
        let listen = format!("127.0.0.1:{port}");
        let scheduler = start(&["scheduler", "--listen", &listen, "--lost-after", "6"].map(String::from), folder);
        wait_for(port);
        let mut cluster = Cluster { folder: folder.into(), port, _scheduler: scheduler, executors: Vec::new() };
        for _ in 0..executors {
            cluster.add_executor();
        }
        cluster
    }

    /// Another executor. Gives its port.
    fn add_executor(&mut self) -> u16 {
        self.add_executor_in(&self.folder.clone())
    }

    /// An executor that stands in a folder. Gives its port.
    fn add_executor_in(&mut self, folder: &Path) -> u16 {
        let port = free_ports();
        let work = self.folder.join(format!("work-{port}")).display().to_string();
        let (listen, scheduler) = (format!("127.0.0.1:{port}"), format!("127.0.0.1:{}", self.port));
        let told = ["executor", "--listen", &listen, "--scheduler", &scheduler, "--threads", "1", "--heartbeat", "1"];
        let told = told.iter().map(|t| t.to_string()).chain(["--work-folder".into(), work]);
        self.executors.push(start(&told.collect::<Vec<_>>(), folder));
        wait_for(port);
        port
    }

    fn submit(&self, query: &str, settings: &[String]) -> Process {
        let scheduler = format!("127.0.0.1:{}", self.port);
        let mut command = Command::new(env!("CARGO_BIN_EXE_basilocus-sql"));
        command.args(["submit", query, "--scheduler", &scheduler, "--form", "csv"]).current_dir(&self.folder);
        for setting in settings {
            command.args(["--set", setting]);
        }
        Process(command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap())
    }

    fn answer(&self, query: &str, settings: &[String]) -> (String, String) {
        ended(self.submit(query, settings))
    }
}

/// What a process that ended well said.
fn ended(mut process: Process) -> (String, String) {
    let begun = Instant::now();
    while process.0.try_wait().unwrap().is_none() {
        assert!(begun.elapsed() < PATIENCE, "the query does not end");
        std::thread::sleep(Duration::from_millis(20));
    }
    let mut taken = std::mem::replace(&mut process.0, Command::new("true").spawn().unwrap());
    let Output { status, stdout, stderr } = {
        let (out, err) = (taken.stdout.take(), taken.stderr.take());
        let mut texts = (Vec::new(), Vec::new());
        std::io::copy(&mut out.unwrap(), &mut texts.0).unwrap();
        std::io::copy(&mut err.unwrap(), &mut texts.1).unwrap();
        Output { status: taken.wait().unwrap(), stdout: texts.0, stderr: texts.1 }
    };
    let (out, err) = (String::from_utf8(stdout).unwrap(), String::from_utf8(stderr).unwrap());
    assert!(status.success(), "{out}\n{err}");
    (out, err)
}

/// A reference of the same name as the one of the town, and of another house.
fn other_reference(folder: &Path) -> PathBuf {
    let (points, output) = (folder.join("points.csv"), folder.join("town.reference"));
    let house = "number,street,locality,region,postcode,lon,lat\n1,Heron Ln,Ternport,OR,97981,-100,40\n";
    std::fs::write(&points, house).unwrap();
    let plan = BuildPlan { sources: vec![points], output: output.clone(), ..Default::default() };
    build(&plan, &basilocus::Cancel::default(), &()).unwrap();
    output
}

/// Owners placed, brought to another system and joined with districts.
fn placed(owners: &Path, districts: &Path) -> String {
    format!(
        "SELECT o.owner, o.g.lon, o.g.lat, o.g.level, o.g.confidence, o.g.changes, d.district, ST_Transform(o.place, 32610) AS place
         FROM (SELECT owner, g, ST_Point(g.lon, g.lat, 4326) AS place
               FROM (SELECT owner, geocode(address) AS g FROM read_layer('{}'))) o
         JOIN read_layer('{}') d ON ST_Within(o.place, d.geometry)",
        owners.display(),
        districts.display()
    )
}

/// All rows of what a query wrote, in the order of the owners.
async fn rows_of(folder: &Path) -> Vec<Vec<String>> {
    let sql = format!("SELECT *, ST_AsText(geometry) FROM read_layer('{}') ORDER BY owner", folder.display());
    cells(&session(), &sql).await
}

#[tokio::test(flavor = "multi_thread")]
async fn executors_give_the_rows_of_one_machine() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let (town, owners, districts) = (reference(here), owners(here, 8, 60, Some(7)), districts(here));
    let cluster = Cluster::start(here, 2);
    let settings = [format!("reference={}", town.display())];
    let query = placed(&owners, &districts);
    let (there, alone) = (here.join("there"), here.join("alone"));
    let copy = |to: &Path| format!("COPY ({query}) TO '{}' STORED AS GEOPARQUET", to.display());
    let (out, told) = cluster.answer(&copy(&there), &settings);
    // The wrong row is named with its partition, though it is on some other machine.
    assert!(out.contains("479") && told.contains("geocode: 1 ") && told.contains("(partition 7)"), "{out}{told}");
    let s = session();
    cells(&s, &format!("SET basilocus.reference = '{}'", town.display())).await;
    assert_eq!(cells(&s, &copy(&alone)).await, [["479"]]);
    let (of_cluster, of_one) = (rows_of(&there).await, rows_of(&alone).await);
    assert!(of_cluster == of_one && of_one.len() == 479);
    // What no executor can read is told in the words of the library.
    let told = failed_words(cluster.submit(&query, &["reference=/nowhere/town.reference#00000000000000aa".into()]));
    assert!(told.contains("/nowhere/town.reference"), "{told}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_executor_is_lost_and_another_comes_while_a_query_runs() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let (town, owners, districts) = (reference(here), owners(here, 12, 400, None), districts(here));
    let mut cluster = Cluster::start(here, 2);
    let settings = [format!("reference={}", town.display())];
    let target = here.join("there");
    let copy = format!("COPY ({}) TO '{}' STORED AS GEOPARQUET", placed(&owners, &districts), target.display());
    let running = cluster.submit(&copy, &settings);
    // Some parts are under way when the first executor goes.
    let begun = Instant::now();
    while !target.exists() && begun.elapsed() < PATIENCE {
        std::thread::sleep(Duration::from_millis(10));
    }
    drop(cluster.executors.remove(0));
    cluster.add_executor();
    let (out, told) = ended(running);
    assert!(out.contains("4800") && told.is_empty(), "{out}{told}");
    let rows = rows_of(&target).await;
    let owners: Vec<String> = (0..4800).map(|id| format!("{id:06}")).collect();
    assert!(rows.iter().map(|r| &r[0]).eq(&owners), "every row once: {} rows", rows.len());
    let left: Vec<_> = std::fs::read_dir(&target).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert!(left.iter().all(|name| name.to_string_lossy().starts_with("part-")), "{left:?}");
}

/// A reference that changed between planning and work is told, and nothing is written.
#[tokio::test(flavor = "multi_thread")]
async fn another_reference_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let (town, owners) = (reference(here), owners(here, 1, 10, None));
    let cluster = Cluster::start(here, 1);
    let query =
        format!("SELECT count(g.lon) FROM (SELECT geocode(address) AS g FROM read_layer('{}'))", owners.display());
    let (out, _) = cluster.answer(&query, &[format!("reference={}", town.display())]);
    assert!(out.contains("10"), "{out}");
    // As if the query had been planned where the file is another one.
    let other = format!("reference={}#00000000000000aa", town.display());
    let failed = cluster.submit(&query, &[other]);
    let told = failed_words(failed);
    assert!(told.contains("00000000000000aa") && told.contains("bring the same file"), "{told}");
}

/// One executor of two has another file under the name that is meant: that is told before the other one does anything.
#[tokio::test(flavor = "multi_thread")]
async fn another_reference_on_one_executor_is_told_before_the_query_begins() {
    let folder = tempfile::tempdir().unwrap();
    let (here, elsewhere) = (folder.path(), folder.path().join("elsewhere"));
    std::fs::create_dir(&elsewhere).unwrap();
    let (_, owners) = (reference(here), owners(here, 4, 10, None));
    other_reference(&elsewhere);
    let mut cluster = Cluster::start(here, 1);
    // A path that is another file for each process, as one is on machines that share nothing.
    let own = "/proc/self/cwd/town.reference";
    let query = format!(
        "COPY (SELECT owner, g.lon AS lon FROM (SELECT owner, geocode(address, '{own}') AS g FROM read_layer('{}')))
         TO '{}' STORED AS DELIMITED",
        owners.display(),
        here.join("there").display()
    );
    let (out, _) = cluster.answer(&query, &[]);
    assert!(out.contains("40"), "{out}");
    std::fs::remove_dir_all(here.join("there")).unwrap();
    let its_address = format!("the executor at 127.0.0.1:{}", cluster.add_executor_in(&elsewhere));
    let told = failed_words(cluster.submit(&query, &[]));
    assert!(told.contains(&its_address) && told.contains("nothing was begun"), "{told}");
    assert!(told.contains("bring the same file") && !here.join("there").exists(), "{told}");
}

/// One that is fetched for longer than an executor makes anybody wait for an answer is asked for until it is there.
#[tokio::test(flavor = "multi_thread")]
async fn references_that_take_long_to_fetch_are_compared_too() {
    let folder = tempfile::tempdir().unwrap();
    let (here, elsewhere) = (folder.path(), folder.path().join("elsewhere"));
    std::fs::create_dir(&elsewhere).unwrap();
    let (town, owners) = (std::fs::read(reference(here)).unwrap(), owners(here, 4, 10, None));
    let other = std::fs::read(other_reference(&elsewhere)).unwrap();
    // How often it was asked for since another executor came: first by the process that submits the query, then by that one.
    let (is_another_there, mut asked) = (Arc::new(AtomicBool::new(false)), 0);
    let is_there = is_another_there.clone();
    let address = store(move || {
        asked += usize::from(is_there.load(Ordering::SeqCst));
        if asked < 2 {
            return town.clone();
        }
        // The server of an executor breaks off an answer of more than 20 seconds.
        std::thread::sleep(Duration::from_secs(23));
        other.clone()
    });
    let mut cluster = Cluster::start(here, 1);
    let query = format!(
        "SELECT count(g.lon) FROM (SELECT geocode(address, '{address}') AS g FROM read_layer('{}'))",
        owners.display()
    );
    assert!(cluster.answer(&query, &[]).0.contains("40"));
    is_another_there.store(true, Ordering::SeqCst);
    let its_address = format!("the executor at 127.0.0.1:{}", cluster.add_executor());
    let told = failed_words(cluster.submit(&query, &[]));
    assert!(told.contains(&its_address) && told.contains("nothing was begun"), "{told}");
    assert!(told.contains("bring the same file"), "{told}");
}

/// What a query was told reaches the machine that plans it; what one leaves that fails is nothing.
#[tokio::test(flavor = "multi_thread")]
async fn outputs_are_replaced_where_that_is_said_and_nothing_is_left_of_those_that_fail() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let (_, _, elsewhere) = (reference(here), owners(here, 6, 40, Some(5)), here.join("elsewhere"));
    std::fs::create_dir(&elsewhere).unwrap();
    let mut cluster = Cluster::start(here, 0);
    // Executors stand elsewhere than who asks: paths mean what they mean there.
    for _ in 0..2 {
        cluster.add_executor_in(&elsewhere);
    }
    let copy = |options: &str| {
        format!(
            "COPY (SELECT owner, g.lon AS lon, g.lat AS lat FROM (SELECT owner, geocode(address) AS g FROM read_layer('owners')))
             TO 'there' STORED AS DELIMITED{options}"
        )
    };
    let settings = ["reference=town.reference".to_string()];
    assert!(cluster.answer(&copy(""), &settings).0.contains("240"));
    let told = failed_words(cluster.submit(&copy(""), &settings));
    assert!(told.contains("exists already"), "{told}");
    let overwrite = " OPTIONS ('overwrite' 'true')";
    assert!(cluster.answer(&copy(overwrite), &settings).0.contains("240"));
    let failing = [settings[0].clone(), "on_failure=error".into()];
    let told = failed_words(cluster.submit(&copy(overwrite), &failing));
    assert!(told.contains("geocode: row"), "{told}");
    let names = |folder: &Path| {
        let mut names: Vec<_> =
            std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    };
    assert_eq!(names(&here.join("there")), (0..6).map(|n| format!("part-{n:05}.csv")).collect::<Vec<_>>());
    assert!(names(&elsewhere).is_empty());
    let told = failed_words(cluster.submit(&copy(" OPTIONS ('replace' 'true')"), &settings));
    assert!(told.contains("'overwrite' 'true' is the only one there is"), "{told}");
}

/// What a process that failed said.
fn failed_words(mut process: Process) -> String {
    let mut told = Vec::new();
    std::io::copy(&mut process.0.stderr.take().unwrap(), &mut told).unwrap();
    assert!(!process.0.wait().unwrap().success());
    String::from_utf8(told).unwrap()
}
