//! Geocoding as a user meets it: options, review, the other direction, two placings. The real binary.

mod common;

use common::Folder;

fn town() -> Folder {
    let f = Folder::new();
    let mut points = String::from("number,street,city,state,zip,lon,lat\n");
    for (town, zip, x) in [("Ternport", "97981", -123.8), ("Graywater", "97990", -123.7)] {
        for n in [12, 14, 18] {
            points.push_str(&format!("{n},Heron Ln,{town},OR,{zip},{:.4},46.2\n", x + f64::from(n) * 1e-4));
        }
    }
    f.write("points.csv", points);
    f.write("places.csv", "name,kind,state,county,lon,lat\nTernport,city,OR,Tern County,-123.8,46.2\nGraywater,city,OR,Tern County,-123.7,46.2\nTern Mill,mill,OR,,-123.82,46.21\n");
    f.write(
        "owners.csv",
        "who,address\nA,\"12 Heron Ln, Ternport, OR 97981\"\nB,14 Heron Ln\nC,\"5 Nowhere Rd, Atlantis\"\n",
    );
    f.ok(&["reference", "build", "points.csv", "places.csv", "-o", "t.reference", "-q"]
        .map(|a| if a == "-q" { "--no-progress" } else { a }));
    f
}

fn geocode<'a>(more: &[&'a str]) -> Vec<&'a str> {
    [&["geocode", "owners.csv", "--reference", "t.reference", "-o", "out.csv", "--overwrite", "--no-progress"], more]
        .concat()
}

#[test]
fn a_review_and_its_answers() {
    let f = town();
    let out = f.ok(&geocode(&["--review", "review.xlsx"]));
    insta::assert_snapshot!(out, @r#"
        owners
          source     owners.csv
          read as    encoding UTF-8 (found)
          read as    delimiter comma (found)
          read as    addresses from whole address "address"
          levels     1 address point
          system     WGS 84 (EPSG:4326), as it is in the source
          accuracy   about 30 m, by the radius that holds for 95 % of the addresses (for half of them it is 30 m)
          extent     -123.79880 to -123.79880 east, 46.20000 to 46.20000 north
          ledger     3 rows in = 1 out + 2 set aside (1 locality not found, 1 several equal candidates)
          note       2 rows with 2 different addresses are in doubt: answer in review.xlsx, then run this again with --answers review.xlsx; what was found for the other rows waits in review.answers.sqlite
          wrote      out.csv
          wrote      review.xlsx
          set aside  out.set-aside.csv (owners)
        "#);
    // The same file without an answer: nothing changes, and nothing is matched again.
    let out = f.ok(&geocode(&["--answers", "review.xlsx"]));
    assert!(out.contains("0 answers were taken") && out.contains("none was matched again"), "{out}");
    let (status, _, err) = f.run(&geocode(&["--answers", "review.xlsx", "--review", "again.xlsx"]));
    assert_eq!(status, 2, "{err}");
    let (status, _, err) =
        f.run(&["geocode", "owners.csv", "--reference", "t.reference", "-o", "o.csv", "--review", "review.xlsx"]);
    assert_eq!(status, 1);
    insta::assert_snapshot!(err, @"basilocus: review.xlsx: exists already and is not replaced; add --overwrite, or name another file");
    assert!(!f.path("o.csv").exists(), "nothing is written where the review cannot be");
    let (_, _, err) = f.run(&geocode(&["--answers", "owners.csv"]));
    insta::assert_snapshot!(err, @"basilocus: --answers owners.csv: a workbook that --review wrote is expected; this is delimited text");
}

#[test]
fn restrictions() {
    let f = town();
    let placed = |more: &[&str]| {
        f.ok(&geocode(more));
        f.read("out.csv").lines().skip(1).map(|l| l.split(',').next().unwrap().to_string()).collect::<String>()
    };
    assert_eq!(placed(&[]), "A");
    assert_eq!(placed(&["--near", "-123.7,46.2"]), "AB");
    assert_eq!(placed(&["--near", "Graywater"]), "AB");
    assert_eq!(placed(&["--within", "Graywater"]), "B");
    assert_eq!(placed(&["--within", "-123.75,46,-123,47"]), "B");
    assert_eq!(placed(&["--coarsest", "street-range", "--then", "locality"]), "A");
    assert_eq!(placed(&["--country", "US"]), "A");
    assert_eq!(placed(&["--finest", "street"]), "A");
    assert!(f.read("out.csv").contains(",street,"), "{}", f.read("out.csv"));
    let plan = [&geocode(&["--near", "Graywater", "--review", "r.xlsx", "--save-plan", "p.toml"])[..]].concat();
    f.ok(&plan);
    assert!(f.read("p.toml").contains("near = \"Graywater\""), "{}", f.read("p.toml"));
    f.ok(&["run", "p.toml", "--overwrite", "-q"]);
}

#[test]
fn nearest_and_compare() {
    let f = town();
    f.write("gates.csv", "gate,lon,lat\nnear,-123.7987,46.2001\nfar,-120,40\n");
    let out = f.ok(&[
        "nearest",
        "gates.csv",
        "--reference",
        "t.reference",
        "--from",
        "EPSG:4326",
        "-o",
        "near.csv",
        "--no-progress",
    ]);
    insta::assert_snapshot!(out, @r#"
        gates
          source     gates.csv
          read as    encoding UTF-8 (found)
          read as    delimiter comma (found)
          read as    positions from columns "lon" and "lat" (found), in WGS 84 (EPSG:4326) (degrees)
          read as    the nearest address within 1000 m of each position
          system     WGS 84 (EPSG:4326), as it is in the source
          accuracy   about 5.6 m, by the last digit of the coordinates
          extent     -123.79870 to -120.00000 east, 40.00000 to 46.20010 north
          ledger     2 rows in = 2 out + 0 set aside
          wrote      near.csv
        "#);
    f.write("moved.csv", "gate,lon,lat\nnear,-123.7987,46.2011\nfar,-120,40\nnew,-121,41\n");
    insta::assert_snapshot!(f.ok(&["compare", "gates.csv", "moved.csv", "--key", "gate", "-o", "moved.geojson"]), @r#"
      read as    gates.csv: WGS 84, as nothing else is said
      read as    gates.csv: positions from columns "lon" and "lat" (found), in WGS 84 (EPSG:4326) (degrees)
      read as    moved.csv: WGS 84, as nothing else is said
      read as    moved.csv: positions from columns "lon" and "lat" (found), in WGS 84 (EPSG:4326) (degrees)
      rows       2 and 3 with a position; 2 are in both
      alone      1 in the second only: new
      distance   median 55.58 m, 95 % within 111 m, largest 111 m
      far        1 of 2 rows 50.00 m or more apart; 1 at the same place
    Worst first (longitude, latitude, WGS 84):
     row    distance   first                    second
    ───────────────────────────────────────────────────────────────────
     near   111 m      -123.798700, 46.200100   -123.798700, 46.201100
      wrote      moved.geojson
    "#);
    let (status, _, _) = f.run(&["compare", "gates.csv", "moved.csv", "--key", "gate", "--strict"]);
    assert_eq!(status, 3);
    let r = f.json(&["compare", "gates.csv", "moved.csv", "--key", "gate", "--json"]);
    assert_eq!((r["pairs"].as_u64(), r["only_b"][0].as_str()), (Some(2), Some("new")));
    insta::assert_snapshot!(f.refusal(&["compare", "gates.csv", "moved.csv", "--key", "gat"]), @r#"[1] basilocus: gates.csv: there is no column "gat" (did you mean "gate" or "lat"?); it has: gate, lon, lat"#);
}

#[test]
fn one_address_at_two_places_is_doubted() {
    let f = town();
    f.write(
        "twice.csv",
        "number,street,city,lon,lat\n12,Heron Ln,Ternport,-123.8,46.2\n12,Heron Ln,Ternport,-123.8,46.21\n",
    );
    let out = f.ok(&["reference", "build", "twice.csv", "-o", "twice.reference", "--no-progress"]);
    assert!(out.contains("repeated"), "{out}");
    let (status, _, _) = f.run(&["reference", "build", "twice.csv", "-o", "again.reference", "--strict"]);
    assert_eq!(status, 3);
    assert!(
        f.ok(&["reference", "describe", "twice.reference"])
            .contains("number 12 of Heron Ln in Ternport is at two places, 1112 m apart")
    );
    assert!(!f.ok(&["reference", "build", "points.csv", "-o", "once.reference", "--no-progress"]).contains("repeated"));
}

/// A saved plan holds which column is which part of an address: a table that is otherwise is not read by guessing again.
#[test]
fn a_saved_plan_holds_the_columns_of_addresses() {
    let f = town();
    f.write("owners.csv", "who,number,street,town\nA,12,Heron Ln,Ternport\nB,14,Heron Ln,Graywater\n");
    f.ok(&geocode(&["--save-plan", "p.toml"]));
    let plan = f.read("p.toml");
    for part in
        ["[layer.found.addresses]", "\"house number\" = \"number\"", "street = \"street\"", "locality = \"town\""]
    {
        assert!(plan.contains(part), "{part} is missing in {plan}");
    }
    let before = f.read("out.csv");
    f.ok(&["run", "p.toml", "--overwrite", "--no-progress"]);
    assert_eq!(f.read("out.csv"), before);
    f.write("july.csv", "who,number,street,town,postcode\nA,12,Heron Ln,Ternport,97981\n");
    let message = f.refusal(&["run", "p.toml", "--input", "july.csv", "-o", "july.out.csv"]);
    assert!(message.contains("what columns hold of addresses is \"house number: number, locality: town, postcode: postcode, street: street\" here, and was \"house number: number, locality: town, street: street\" when the plan was saved"), "{message}");
    assert!(!f.path("july.out.csv").exists());
}
