//! What is served where, until somebody ends it.

use crate::exchanged::Exchanged;
use crate::geocoder::Geocoder;
use crate::guard::{self, Clients, Guard, Hosts, Log, Metrics, Tokens};
use crate::problem::Problem;
use crate::processes::Jobs;
use crate::stand_in::{Faults, Faulty};
use crate::{ServeError, connections, heights, routes};
use basilocus::Cancel;
use basilocus::collections::{Collections, Reading};
use basilocus::coordinates::finder::Finder;
use basilocus::geodesy::crs::{Area, Crs};
use basilocus::geodesy::operation::Operation;
use basilocus::plan::OperationPlan;
use basilocus::terrain::HeightLookup;
use std::collections::HashMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::atomic::AtomicU64;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::Semaphore;

/// How often it is asked whether to end.
const LOOK_AROUND: Duration = Duration::from_millis(50);
/// How often files are looked at.
const LOOK_AT_FILES: Duration = Duration::from_secs(1);

/// How many requests are worked on at once, for each core; others wait their turn.
const AT_ONCE: usize = 4;

/// What is served.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where it is listened; port 0 takes one that is free.
    pub listen: SocketAddr,
    /// What addresses of it begin with from outside, where that is another one: behind a proxy.
    pub public_address: Option<String>,
    /// Layers of any format that is read.
    pub layers: Vec<PathBuf>,
    /// The system of layers that carry none.
    pub from: Option<String>,
    /// Folder of grid files for ways between datums.
    pub grids: Option<PathBuf>,
    /// Address references, as `reference build` writes them.
    pub references: Vec<PathBuf>,
    /// A grid of heights, such as a GeoTIFF that carries its system.
    pub heights: Option<PathBuf>,
    /// How long the readings of the feed of gauges stay as they are, where that is served.
    pub feed: Option<Duration>,
    /// How a stand-in behaves; nothing for a service that does its best.
    pub faults: Option<Faults>,
    /// Who may ask, and what is written down.
    pub guard: Guard,
}

impl Options {
    /// Nothing yet, at an address; conversions are served whatever else is.
    pub fn at(listen: SocketAddr) -> Self {
        Options {
            listen,
            public_address: None,
            layers: Vec::new(),
            from: None,
            grids: None,
            references: Vec::new(),
            heights: None,
            feed: None,
            faults: None,
            guard: Guard::default(),
        }
    }
}

/// What all requests share.
pub(crate) struct App {
    pub public_address: Option<String>,
    pub grids: Option<PathBuf>,
    /// Where addresses are found, where references are served.
    geocoder: Exchanged<Option<Arc<Geocoder>>>,
    /// Addresses that were asked for.
    pub asked: Arc<AtomicU64>,
    /// Heights at positions, where a grid is served.
    heights: Exchanged<Option<HeightLookup>>,
    layers: Exchanged<Collections>,
    /// Maps of the layers as pages, made when they are asked for first.
    pub maps: Mutex<Vec<(String, Arc<String>)>>,
    pub feed: Option<Duration>,
    pub jobs: Jobs,
    pub faulty: Option<Faulty>,
    pub hosts: Hosts,
    pub tokens: Option<Tokens>,
    pub clients: Option<Clients>,
    pub metrics: Metrics,
    pub log: Log,
    pub origins: Vec<String>,
    finder: Finder,
    /// Conversions, which are the same wherever the positions are, by the codes of their systems.
    conversions: Mutex<HashMap<(u32, u32), Arc<Operation>>>,
    places: Arc<Semaphore>,
}

/// Conversions that are kept.
const MOST_CONVERSIONS: usize = 1000;

impl App {
    fn new(options: &Options) -> Result<Self, ServeError> {
        let asked: Arc<AtomicU64> = Arc::default();
        let (references, counter) = (options.references.clone(), asked.clone());
        let grid = options.heights.clone();
        let operation = OperationPlan { grids: options.grids.clone(), ..Default::default() };
        let reading = Reading { from: options.from.clone(), operation: operation.clone() };
        let layers = options.layers.clone();
        let has_heights = grid.is_some();
        let grid_files: Vec<PathBuf> = grid.iter().cloned().collect();
        let guard = &options.guard;
        if let Some(address) = options.public_address.as_ref().filter(|a| !is_web_address(a)) {
            return Err(ServeError::PublicAddress(address.clone()));
        }
        Ok(App {
            public_address: options.public_address.as_ref().map(|a| a.trim_end_matches('/').to_string()),
            grids: options.grids.clone(),
            geocoder: Exchanged::new(&options.references, move || {
                Ok(Geocoder::open(&references, &counter)?.map(Arc::new))
            })?,
            asked,
            heights: Exchanged::new(&grid_files, move || Ok(grid.as_deref().map(HeightLookup::open).transpose()?))?,
            layers: Exchanged::new(&options.layers, move || {
                let opened = Collections::open(&layers, &reading, &Cancel::default())?;
                match opened.get(heights::ID).filter(|_| has_heights) {
                    Some(taken) => Err(ServeError::NameTaken { file: taken.source().to_path_buf(), name: heights::ID }),
                    None => Ok(opened),
                }
            })?,
            maps: Mutex::default(),
            feed: options.feed,
            jobs: Jobs::default(),
            faulty: options.faults.map(Faulty::new),
            hosts: Hosts::of(options.listen, options.public_address.as_deref()),
            tokens: guard.tokens.as_deref().map(Tokens::read).transpose()?,
            clients: guard.rate.map(Clients::new),
            metrics: Metrics::new(),
            log: Log::open(&guard.log)?,
            origins: guard.origins.clone(),
            finder: Finder::new(&operation, false).map_err(ServeError::Library)?,
            conversions: Mutex::default(),
            places: Arc::new(Semaphore::new(AT_ONCE * std::thread::available_parallelism().map_or(1, usize::from))),
        })
    }

    /// Where addresses are found.
    pub(crate) fn geocoder(&self) -> Result<Arc<Geocoder>, Problem> {
        let found = (*self.geocoder.get()).clone();
        found.ok_or_else(|| Problem::none("no address reference is served here"))
    }

    /// Whether addresses are found here.
    pub(crate) fn has_geocoder(&self) -> bool {
        self.geocoder.get().is_some()
    }

    /// Heights at positions, where they are served.
    pub(crate) fn heights(&self) -> Arc<Option<HeightLookup>> {
        self.heights.get()
    }

    /// The layers that are served.
    pub(crate) fn layers(&self) -> Arc<Collections> {
        self.layers.get()
    }

    /// The operation between two systems for positions that are in an area.
    pub(crate) fn operation(
        &self,
        from: &Crs,
        to: &Crs,
        near: Option<Area>,
        epoch: Option<f64>,
    ) -> Result<Arc<Operation>, basilocus::Error> {
        let codes = from.code.zip(to.code).filter(|_| epoch.is_none());
        if let Some(kept) = codes.and_then(|codes| locked(&self.conversions).get(&codes).cloned()) {
            return Ok(kept);
        }
        let finder = match epoch {
            Some(_) => {
                let plan = OperationPlan { epoch, grids: self.grids.clone(), ..Default::default() };
                Finder::new(&plan, false)?
            }
            None => self.finder.clone(),
        };
        let operation = Arc::new(match near {
            Some(area) => finder.around(area).find(from, to)?,
            None => finder.find(from, to)?,
        });
        // Between datums the place decides which way is the best one.
        let is_conversion = operation.accuracy_m() == Some(0.0) && operation.grids().is_empty();
        if let Some(codes) = codes.filter(|_| is_conversion) {
            let mut kept = locked(&self.conversions);
            if kept.len() >= MOST_CONVERSIONS {
                kept.clear();
            }
            kept.insert(codes, operation.clone());
        }
        Ok(operation)
    }

    /// Does what keeps a core or a disk busy where it keeps nobody waiting who is answered at once; so many of them together.
    ///
    /// # Errors
    /// Where it broke off.
    pub(crate) async fn work<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, Problem> {
        let broke_off = || Problem::broke("the request could not be answered");
        let place = self.places.clone().acquire_owned().await.map_err(|_| broke_off())?;
        let done = tokio::task::spawn_blocking(move || {
            let done = work();
            drop(place);
            done
        });
        done.await.map_err(|_| broke_off())
    }

    /// Opens anew what was exchanged on the disk.
    fn look_at_files(&self) {
        let told = |what: Option<Result<(), ServeError>>, names: String| match what {
            None => false,
            Some(Ok(())) => {
                self.log.event("exchanged", &format!("{names} was exchanged and is served anew"));
                true
            }
            Some(Err(e)) => {
                self.log.event(
                    "not exchanged",
                    &format!("{names} was exchanged and cannot be used: {e}; what was served before still is"),
                );
                false
            }
        };
        told(self.geocoder.refresh(), self.geocoder.names());
        told(self.heights.refresh(), self.heights.names());
        if told(self.layers.refresh(), self.layers.names()) {
            locked(&self.maps).clear();
        }
    }
}

/// Whether a text can be what addresses on the web begin with.
fn is_web_address(text: &str) -> bool {
    let is_plain = !text.contains(|c: char| c.is_whitespace() || matches!(c, '"' | '<' | '>' | '?' | '#'));
    is_plain && ["http://", "https://"].iter().any(|begin| text.len() > begin.len() && text.starts_with(begin))
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// What a server has to tell when it begins.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Beginning {
    /// Where it listens.
    pub address: SocketAddr,
    /// The layers: their names in addresses, and what is to be known of each.
    pub layers: Vec<(String, Vec<String>)>,
    /// What is left out, and why.
    pub notices: Vec<String>,
}

/// Serves until `ends` says true. `ready` is told what there is, once requests are taken.
///
/// ```
/// use basilocus_serve::{Options, serve};
/// use std::sync::atomic::{AtomicBool, Ordering};
///
/// static ENDS: AtomicBool = AtomicBool::new(false);
/// let options = Options::at(([127, 0, 0, 1], 0).into());
/// serve(&options, |beginning| {
///     assert_ne!(beginning.address.port(), 0);
///     ENDS.store(true, Ordering::SeqCst);
/// }, || ENDS.load(Ordering::SeqCst))?;
/// # Ok::<(), basilocus_serve::ServeError>(())
/// ```
///
/// # Errors
/// [`ServeError`] where something cannot be opened, or the server breaks off.
pub fn serve(
    options: &Options,
    ready: impl FnOnce(&Beginning),
    ends: impl Fn() -> bool + Send + Sync + 'static,
) -> Result<(), ServeError> {
    let app = Arc::new(App::new(options)?);
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    runtime.block_on(async {
        let listen = |problem| ServeError::Listen { address: options.listen, problem };
        let listener = tokio::net::TcpListener::bind(options.listen).await.map_err(listen)?;
        let layers = app.layers();
        ready(&Beginning {
            address: listener.local_addr()?,
            layers: layers.iter().map(|c| (c.id().to_string(), c.notices().to_vec())).collect(),
            notices: layers.notices().to_vec(),
        });
        drop(layers);
        let router = routes::router(&app);
        let end = async move {
            let mut looked = Instant::now();
            while !ends() {
                tokio::time::sleep(LOOK_AROUND).await;
                if looked.elapsed() >= LOOK_AT_FILES {
                    let at = app.clone();
                    let _ = tokio::task::spawn_blocking(move || at.look_at_files()).await;
                    looked = Instant::now();
                }
            }
        };
        connections::take(listener, router, end).await;
        Ok(())
    })
}

/// What stands before a router: see [`guard`].
pub(crate) fn guarded(router: axum::Router, app: &Arc<App>) -> axum::Router {
    let router = router
        .layer(axum::middleware::from_fn(guard::conditional))
        .layer(axum::middleware::from_fn_with_state(app.clone(), guard::admit))
        .layer(axum::middleware::from_fn_with_state(app.clone(), guard::watch));
    match guard::cross_origin(&app.origins) {
        Some(layer) => router.layer(layer),
        None => router,
    }
}
