//! Heights over HTTP: what is served is what the grid says, and queries that cannot be answered say why.

mod served;

use basilocus_serve::Options;
use basilocus_services::asking::{Asking, Manner, RealTime};
use basilocus_services::heights::{HeightCollection, Spot};
use basilocus_services::{Protocol, Web};
use served::{Served, local};
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::time::Duration;

/// Serves a plane that rises by a metre each thousandth of a degree eastwards, and asks it something.
fn with_plane(ask: impl FnOnce(&str)) {
    let folder = tempfile::tempdir().unwrap();
    let grid = folder.path().join("plane.asc");
    let rows: Vec<String> = (0..11).map(|_| (0..21).map(|c| c.to_string()).collect::<Vec<_>>().join(" ")).collect();
    let head = "ncols 21\nnrows 11\nxllcenter -123.81\nyllcenter 46.19\ncellsize 0.001\n";
    std::fs::write(&grid, format!("{head}{}\n", rows.join("\n"))).unwrap();
    std::fs::write(folder.path().join("plane.prj"), "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS 84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.0174532925199433],AUTHORITY[\"EPSG\",\"4326\"]]").unwrap();
    let options = Options { heights: Some(grid), ..local() };
    let served = Served::new(options);
    let page = served.get("/collections/heights?f=html");
    assert!(page.status == 200 && page.body.contains("/collections/heights/position?coords=POINT"), "{}", page.body);
    ask(&served.address);
}

fn get(address: &str) -> (u16, serde_json::Value) {
    let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let mut response = agent.get(address).call().unwrap();
    (response.status().as_u16(), serde_json::from_str(&response.body_mut().read_to_string().unwrap()).unwrap())
}

#[test]
fn heights_are_those_of_the_grid() {
    with_plane(|address| {
        let web = Web::new(address, None, Duration::from_secs(10), 1 << 20).unwrap();
        let collection = HeightCollection::find(address, &web).unwrap();
        assert_eq!((collection.parameter(), collection.unit()), ("height", None), "nothing says the unit of the plane");
        // Some of them beyond the plane.
        let places: Vec<(f64, f64)> =
            (0..150).map(|i| (-123.81 + f64::from(i) * 0.000_15, 46.192 + f64::from(i % 7) * 0.0005)).collect();
        let spots: Vec<Spot> = places.iter().map(|(lon, lat)| Spot::at(*lon, *lat)).collect();
        let manner = Manner { batch: usize::MAX, ..Default::default() };
        let asking = Asking {
            protocol: &collection as &dyn Protocol<Spot, Option<f64>>,
            transport: &web,
            clock: &RealTime::default(),
            manner: &manner,
            is_cancelled: &|| false,
        };
        let mut heights: BTreeMap<usize, Option<f64>> = BTreeMap::new();
        let account = asking
            .run(&spots, &mut |came| {
                heights.extend(came.into_iter().map(|(at, height)| (at, height.unwrap())));
                Ok::<(), Infallible>(())
            })
            .unwrap();
        assert_eq!((account.requests, account.answered, heights.len()), (3, 150, 150));
        for (at, (lon, _)) in places.iter().enumerate() {
            let expected = (lon + 123.81) * 1000.0;
            match heights[&at] {
                Some(height) => {
                    assert!((height - expected).abs() < 1e-3 && expected <= 20.000_5, "{at}: {height} {expected}")
                }
                None => assert!(expected > 19.999_5, "{at}: nothing, {expected}"),
            }
        }
    });
}

#[test]
fn queries_that_cannot_be_answered_say_why() {
    with_plane(|address| {
        let position = format!("{address}/collections/heights/position");
        for (query, part) in [
            ("", "POINT(lon lat)"),
            ("?coords=here", "POINT(lon lat)"),
            ("?coords=LINESTRING(0%200,1%201)", "no position"),
            ("?coords=POINT(200%200)", "no longitude"),
            ("?coords=POINT(1%201)&parameter-name=wind", "wind"),
            ("?coords=POINT(1%201)&f=netCDF", "netCDF"),
            ("?coords=POINT(1%201)&crs=EPSG:4326", "CRS84"),
        ] {
            let (status, problem) = get(&format!("{position}{query}"));
            assert!(status == 400 && problem["detail"].as_str().unwrap().contains(part), "{query}: {problem}");
        }
        assert_eq!(get(&format!("{address}/collections/other")).0, 404);
        let (status, problem) = get(&format!("{address}/processes/geocode"));
        assert_eq!(status, 200, "{problem}");
        let all = get(&format!("{address}/collections")).1;
        assert_eq!(all["collections"][0]["id"], "heights");
    });
}
