//! What the commands of the coordinates room print, whole: a change of a word shows here.

mod common;

use common::Folder;

/// The folder of the demonstration, where its tables are.
fn estuary() -> Folder {
    let f = Folder::new();
    for name in ["survey_1958.txt", "harbour_pairs.csv", "harbour_piles.csv", "field_notes.csv"] {
        let from = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("demo").join(name);
        f.write(name, std::fs::read(from).unwrap());
    }
    f
}

#[test]
fn ways_between_two_systems() {
    let f = Folder::new();
    insta::assert_snapshot!(f.ok(&["crs", "between", "EPSG:4267", "EPSG:4269", "--near", "46.2N 123.8W"]), @"
    NAD27 (EPSG:4267) → NAD83 (EPSG:4269)
      near       latitude 46.2° N, longitude 123.8° W
         accuracy   area holds   way                                          grid files
    ──────────────────────────────────────────────────────────────────────────────────────────────────────────────
     1   1.5 m      yes          by grid ntv2_0.gsb                           ntv2_0.gsb (missing)   grid missing
     2   12 m       yes          NAD27 to WGS 84, western states, then                               taken
                                 inverse of North American Datum 1983 to
                                 WGS 84 (zero shift)
     3   14 m       yes          NAD27 to WGS 84, mean of the conterminous
                                 states, then inverse of North American
                                 Datum 1983 to WGS 84 (zero shift)
     4   14 m       yes          North American Datum 1927 to WGS 84,
                                 registry's shift, then inverse of North
                                 American Datum 1983 to WGS 84 (zero shift)
     5   24 m       yes          NAD27 to WGS 84, mean of Canada, then
                                 inverse of North American Datum 1983 to
                                 WGS 84 (zero shift)
     6   12 m       no           NAD27 to WGS 84, eastern states, then
                                 inverse of North American Datum 1983 to
                                 WGS 84 (zero shift)
     7   14 m       no           NAD27 to WGS 84, Alaska, then inverse of
                                 North American Datum 1983 to WGS 84 (zero
                                 shift)

    taken: NAD27 to WGS 84, western states, then inverse of North American Datum 1983 to WGS 84 (zero shift)
      accuracy   12 m
      step       geographic to geocentric on Clarke 1866
      step       geocentric translation -8, 159, 175 m
      step       geocentric to geographic on GRS 1980
      note       the grid file ntv2_0.gsb would give 1.5 m instead of 12 m; it was not found (no folder of grid files is said; say it with --grids DIR)
    ");
    insta::assert_snapshot!(f.ok(&["crs", "between", "EPSG:9000", "EPSG:7844", "--epoch", "2026.9"]), @r#"
    ITRF2014 (EPSG:9000) → GDA2020 (EPSG:7844)
         accuracy   area holds   way                                                        grid files
    ───────────────────────────────────────────────────────────────────────────────────────────────────────────
     1   0.001 m    yes          ITRF2014 to GDA2020, plate motion                                       taken
     2   4 m        yes          International Terrestrial Reference Frame 2014 to WGS 84
                                 (assumed equal), then inverse of Geocentric Datum of
                                 Australia 2020 to WGS 84 (assumed equal)

    taken: ITRF2014 to GDA2020, plate motion
      accuracy   0.001 m
      step       geographic to geocentric on GRS 1980
      step       Helmert transformation (coordinate frame) 0, 0, 0 m; 0.010376151, 0.008165874, 0.008329404″; 0 ppm at epoch 2026.9
      step       geocentric to geographic on GRS 1980
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "between", "EPSG:9000", "EPSG:7844"]), @r#"
    ITRF2014 (EPSG:9000) → GDA2020 (EPSG:7844)
         accuracy   area holds   way                                                   grid files
    ──────────────────────────────────────────────────────────────────────────────────────────────────────────────
     1   0.001 m    yes          ITRF2014 to GDA2020, plate motion                                  needs --epoch
     2   4 m        yes          International Terrestrial Reference Frame 2014 to
                                 WGS 84 (assumed equal), then inverse of Geocentric
                                 Datum of Australia 2020 to WGS 84 (assumed equal)

    none is taken: the best way from ITRF2014 (EPSG:9000) to GDA2020 (EPSG:7844) (ITRF2014 to GDA2020, plate motion, 0.001 m) depends on when the positions were measured: say it with --epoch YEAR, such as --epoch 2020.5; without it, --via "International Terrestrial Reference Frame 2014 to WGS 84 (assumed equal), then inverse of Geocentric Datum of Australia 2020 to WGS 84 (assumed equal)" takes the way that is good to 4 m
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "between", "EPSG:4326", "EPSG:32610"]), @r#"
    WGS 84 (EPSG:4326) → WGS 84 / UTM zone 10N (EPSG:32610)
      a conversion only: both are on the same datum, and nothing is lost

    taken: conversion from WGS 84 to WGS 84 / UTM zone 10N
      accuracy   exact (a conversion, no change of datum)
      step       Transverse Mercator of WGS 84 / UTM zone 10N
    "#);
}

#[test]
fn suggestions_with_their_numbers() {
    let f = Folder::new();
    insta::assert_snapshot!(f.ok(&["crs", "advise", "--for", "area", "--most", "4", "--", "-124.1,46.0,-123.5,46.4"]), @r#"
    for area in longitude -124.1° to -123.5°, latitude 46° to 46.4°
     code        name                                        length error   area error   angle error   grid north
    ──────────────────────────────────────────────────────────────────────────────────────────────────────────────
     your own    Lambert Azimuthal Equal Area at 46.2000,    8.1 ppm        0 ppm        0.001°        0.217°
                 -123.8000
     EPSG:9674   NAD83 / USFS R6 Albers                      919 ppm        0 ppm        0.105°        2.9°
     EPSG:5070   NAD83 / Conus Albers                        2,647 ppm      0 ppm        0.303°        16.9°
     EPSG:5071   NAD83(HARN) / Conus Albers                  2,647 ppm      0 ppm        0.303°        16.9°
    errors are the largest over the area; 1 ppm is 1 mm a kilometre, or 1 m² a square kilometre
    and 40 more; --most N shows them

    first: Lambert Azimuthal Equal Area at 46.2000, -123.8000
      because    equal-area: a polygon's area on the map is its true area
      because    angles are off by up to 3.4″
      because    grid north is up to 13.0′ from true north
      because    made for this area; others need its definition

    the one of your own, to save as a .toml file and say with --to:

    basilocus_crs = 1
    name = "Lambert Azimuthal Equal Area at 46.2000, -123.8000"
    base = "EPSG:4326"
    method = "Lambert Azimuthal Equal Area"
    unit = "metre"
    area = [-124.1, 46.0, -123.5, 46.4]

    [parameters]
    "False easting" = 100000.0
    "False northing" = 100000.0
    "Latitude of natural origin" = 46.2
    "Longitude of natural origin" = -123.8
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "advise", "--for", "web", "Oregon"]), @r#"
    for web in United States (USA) - Oregon (-124.6° to -116.47° longitude, 41.98° to 46.26° latitude)
     code        name                       length error   area error      angle error   grid north
    ────────────────────────────────────────────────────────────────────────────────────────────────
     EPSG:3857   WGS 84 / Pseudo-Mercator   448,490 ppm    1,091,386 ppm   0.213°        0°
     EPSG:4326   WGS 84
    errors are the largest over the area; 1 ppm is 1 mm a kilometre, or 1 m² a square kilometre

    first: WGS 84 / Pseudo-Mercator
      because    what maps in browsers are drawn in
      because    not for measuring: lengths here are 1.343 to 1.448 times too long, areas 1.811 to 2.091 times too large
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "advise", "--for", "world", "--most", "5", "Oregon"]), @r#"
    for world in United States (USA) - Oregon (-124.6° to -116.47° longitude, 41.98° to 46.26° latitude)
     code        name                                  length error    area error       angle error   grid north
    ─────────────────────────────────────────────────────────────────────────────────────────────────────────────
     your own    Equal Earth of the world              2,135,486 ppm   0 ppm            109°          65.7°
     EPSG:6933   WGS 84 / NSIDC EASE-Grid 2.0 Global   3,975,190 ppm   0 ppm            135°          0°
     EPSG:3395   WGS 84 / World Mercator               4,740,046 ppm   31,948,123 ppm   0°            0°
     EPSG:3857   WGS 84 / Pseudo-Mercator              4,741,212 ppm   31,954,819 ppm   0.385°        0°
     your own    Van der Grinten of the world          4,545,374 ppm   17,473,525 ppm   28.9°         52.9°
    errors are the largest over the area; 1 ppm is 1 mm a kilometre, or 1 m² a square kilometre
    and 7 more; --most N shows them

    first: Equal Earth of the world
      because    equal-area: countries can be compared by size
      because    angles are off by up to 109.24°

    the one of your own, to save as a .toml file and say with --to:

    basilocus_crs = 1
    name = "Equal Earth of the world"
    base = "EPSG:4326"
    method = "Equal Earth"
    unit = "metre"
    area = [-180.0, -90.0, 180.0, 90.0]

    [parameters]
    "Longitude of natural origin" = 0.0
    "#);
}

#[test]
fn numbers_that_nobody_knows_the_system_of() {
    let f = estuary();
    insta::assert_snapshot!(f.ok(&["crs", "detect", "survey_1958.txt", "--near", "46.2N,123.8W"]), @r#"
    survey_1958.txt
      read as    encoding UTF-8 (found)
      read as    delimiter tab (found)
      read as    3 lines above the header are passed over
      read as    positions from columns "easting" and "northing" (found)
      near       latitude 46.2° N, longitude 123.8° W, within 50 km

    these numbers could be
     code         name                   unit             there   middle (lon, lat)    if
    ──────────────────────────────────────────────────────────────────────────────────────
     EPSG:32026   NAD27 / Oregon North   US survey feet   100 %   -123.8067, 46.1749
    systems on other datums put them some 100 m beside each other; only a known point tells them apart
    "#);
}

#[test]
fn a_system_in_words_and_in_its_three_forms() {
    let f = Folder::new();
    insta::assert_snapshot!(f.ok(&["crs", "show", "EPSG:27700"]), @r#"
    OSGB36 / British National Grid (EPSG:27700)
      kind                   projected
      datum                  Ordnance Survey of Great Britain 1936
      ellipsoid              Airy 1830: semi-major axis 6377563.396 m, inverse flattening 299.3249646
      prime meridian         Greenwich
      shift to WGS 84        446.448, -125.157, 542.06 m; rotations 0.15, 0.247, 0.842″ (position vector), scale -20.489 ppm; accuracy 2 m
      base system            OSGB36 (EPSG:4277)
      projection             Transverse Mercator
        latitude of origin   49°
        central meridian     -2°
        scale factor         0.9996012717
        false easting        400000 metres
        false northing       -100000 metres
      unit                   metres (metre = 1 m)
      domain                 within 90° of longitude and 50° of arc of the central meridian
      formulas               Krüger (1912), to sixth order as in Karney (2011)
      axes in the registry   east,north
      coordinates here       easting, northing (in this order)
      area of use            United Kingdom (UK) - offshore to boundary of UKCS within 49°45'N to 61°N and 9°W to 2°E; onshore Great Britain (England, Wales and Scotland). Isle of Man onsho
                             -9° to 2.01° east, 49.75° to 61.01° north

    PROJCS["OSGB36 / British National Grid",
      GEOGCS["OSGB36",
        DATUM["Ordnance_Survey_of_Great_Britain_1936",
          SPHEROID["Airy 1830",6377563.396,299.3249646]],
        PRIMEM["Greenwich",0],
        UNIT["degree",0.017453292519943295],
        AXIS["Longitude",EAST],
        AXIS["Latitude",NORTH],
        AUTHORITY["EPSG","4277"]],
      PROJECTION["Transverse_Mercator"],
      PARAMETER["latitude_of_origin",49],
      PARAMETER["central_meridian",-2],
      PARAMETER["scale_factor",0.9996012717],
      PARAMETER["false_easting",400000],
      PARAMETER["false_northing",-100000],
      UNIT["metre",1],
      AXIS["Easting",EAST],
      AXIS["Northing",NORTH],
      AUTHORITY["EPSG","27700"]]

    From the EPSG Geodetic Parameter Dataset, kept by the IOGP.
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "show", "EPSG:32026", "--toml"]), @r#"
    basilocus_crs = 1
    name = "NAD27 / Oregon North"
    base = "EPSG:4267"
    method = "Lambert Conic Conformal (2SP)"
    unit = "US survey foot"
    area = [-124.17, 43.95, -116.47, 46.26]

    [parameters]
    "Easting at false origin" = 2000000.0
    "Latitude of 1st standard parallel" = 44.333333333333336
    "Latitude of 2nd standard parallel" = 46.0
    "Latitude of false origin" = 43.666666666666664
    "Longitude of false origin" = -120.5
    "Northing at false origin" = 0.0
    "#);
    insta::assert_snapshot!(f.ok(&["crs", "show", "EPSG:3031", "--wkt", "2"]), @r#"PROJCRS["WGS 84 / Antarctic Polar Stereographic",BASEGEOGCRS["WGS 84",DATUM["WGS 1984",ELLIPSOID["WGS 84",6378137,298.257223563,LENGTHUNIT["metre",1]]],PRIMEM["Greenwich",0,ANGLEUNIT["degree",0.017453292519943295]],ID["EPSG",4326]],CONVERSION["WGS 84 / Antarctic Polar Stereographic",METHOD["Polar Stereographic (variant B)"],PARAMETER["Latitude of standard parallel",-71,ANGLEUNIT["degree",0.017453292519943295]],PARAMETER["Longitude of origin",0,ANGLEUNIT["degree",0.017453292519943295]],PARAMETER["False easting",0,LENGTHUNIT["metre",1]],PARAMETER["False northing",0,LENGTHUNIT["metre",1]]],CS[Cartesian,2],AXIS["easting (E)",east,ORDER[1],LENGTHUNIT["metre",1]],AXIS["northing (N)",north,ORDER[2],LENGTHUNIT["metre",1]],ID["EPSG",3031]]"#);
    insta::assert_snapshot!(f.ok(&["crs", "show", "EPSG:4269+5703"]), @r#"
    NAD83 + NAVD88 height (EPSG:4269+5703)
      kind                   compound
      datum                  North American Datum 1983
      ellipsoid              GRS 1980: semi-major axis 6378137 m, inverse flattening 298.257222101
      prime meridian         Greenwich
      shift to WGS 84        zero; accuracy 4 m
      horizontal             NAD83 (EPSG:4269)
      vertical               NAVD88 height (EPSG:5703), metres
      coordinates here       longitude, latitude (in this order)
      area of use            North America - onshore and offshore: Canada - Alberta; British Columbia; Manitoba; New Brunswick; Newfoundland and Labrador; Northwest Territories; Nova Scotia
                             167.65° to -40.73° east, 14.92° to 86.45° north

    COMPD_CS["NAD83 + NAVD88 height",
      GEOGCS["NAD83",
        DATUM["North_American_Datum_1983",
          SPHEROID["GRS 1980",6378137,298.257222101]],
        PRIMEM["Greenwich",0],
        UNIT["degree",0.017453292519943295],
        AXIS["Longitude",EAST],
        AXIS["Latitude",NORTH],
        AUTHORITY["EPSG","4269"]],
      VERT_CS["NAVD88 height",
        VERT_DATUM["North American Vertical Datum 1988",2005],
        UNIT["metre",1],
        AXIS["Up",UP],
        AUTHORITY["EPSG","5703"]]]
    "#);
}

#[test]
fn a_fit_with_a_wrong_pair_and_without_it() {
    let f = estuary();
    insta::assert_snapshot!(f.ok(&["fit", "harbour_pairs.csv", "--to", "EPSG:2269", "-o", "all.toml"]), @r#"
    harbour_pairs.csv
      read as    old coordinates from "x_1931_ft", "y_1931_ft", new ones from "easting_ft", "northing_ft", names from "point" (found)
      from       local grid (a system of your own)
      to         NAD83 / Oregon North (ft) (EPSG:2269)
      fitted     conformal from 8 control pairs
                 588.3875, 409.3625 goes to 7370935.7675, 938350.5138
                 turned 12.215462° counter-clockwise; scale 1.003728720 (one old unit is 0.305936514 m)
      residuals  standard error 9.3821 (2.8597 m); left out, a pair is missed by 14.5035 (root mean square), in international feet
     point           residual x   residual y    length   left out
    ──────────────────────────────────────────────────────────────────────────────────────────
     wharf-corner       -4.4731       3.9776    5.9858     8.3802
     bollard-A          -2.6240       3.1089    4.0682     4.9477
     bollard-D           0.9292       1.4426    1.7160     2.3977
     net-loft            3.3411       3.4032    4.7691     7.6504
     cannery-stack       1.5086       5.8906    6.0807     7.9030
     ferry-slip          6.2771     -28.6573   29.3367    36.0056   disagrees with all others
     tide-staff         -0.7262       4.0996    4.1635     4.7677
     church-spire       -4.2327       6.7348    7.9545    11.9263
      outlier    "ferry-slip": without it the others agree far better; look at its numbers, then mend it, or leave it out with --without "ferry-slip"
      compare    translation: standard error 102.2591, left out 154.6013
      compare    affine: standard error 9.3819, left out 16.5516
      compare    polynomial: standard error 12.9178, left out 45.4523
      wrote      all.toml
    "#);
    insta::assert_snapshot!(f.ok(&["fit", "harbour_pairs.csv", "--to", "EPSG:2269", "-o", "good.toml", "--without", "ferry-slip"]), @r#"
    harbour_pairs.csv
      read as    old coordinates from "x_1931_ft", "y_1931_ft", new ones from "easting_ft", "northing_ft", names from "point" (found)
      read as    control pair "ferry-slip" left out, as --without says
      from       local grid (a system of your own)
      to         NAD83 / Oregon North (ft) (EPSG:2269)
      fitted     conformal from 7 control pairs
                 628.8571, 361.5000 goes to 7370986.5300, 938308.0614
                 turned 12.397758° counter-clockwise; scale 0.999952432 (one old unit is 0.304785501 m)
      residuals  standard error 0.0303 (0.0092 m); left out, a pair is missed by 0.0478 (root mean square), in international feet
     point           residual x   residual y   length   left out
    ─────────────────────────────────────────────────────────────────
     wharf-corner        0.0059       0.0108   0.0123     0.0181
     bollard-A          -0.0359      -0.0720   0.0804     0.0997
     bollard-D          -0.0003       0.0223   0.0223     0.0312
     net-loft           -0.0153      -0.0009   0.0153     0.0255
     cannery-stack       0.0050       0.0247   0.0252     0.0343
     tide-staff          0.0154      -0.0028   0.0156     0.0183
     church-spire        0.0252       0.0180   0.0309     0.0509
      compare    translation: standard error 107.5582, left out 164.2978
      compare    affine: standard error 0.0302, left out 0.0533
      compare    polynomial: standard error 0.0507, left out 0.5175
      wrote      good.toml
    "#);
    insta::assert_snapshot!(f.read("good.toml"), @r#"
    # A transformation for basilocus: `via = "good.toml"` takes it.

    basilocus_transformation = 1
    name = "harbour_pairs"
    kind = "conformal"
    from = "local"
    to = "EPSG:2269"
    accuracy_m = 0.009237928070643546
    extent = [-220.5, 0.0, 1455.0, 905.5]

    [plane]
    origin = [628.8571428571429, 361.5]
    unit = 849.3571428571429
    x = [7370986.53, 829.511250944113, -182.34585329435578]
    y = [938308.0614285715, 182.34585329435578, 829.511250944113]

    [[pair]]
    name = "wharf-corner"
    from = [0.0, 0.0]
    to = [7370449.97, 937819.99]
    residual = [0.005909529514610767, 0.010766437859274447]
    left_out = 0.018050832380178156

    [[pair]]
    name = "bollard-A"
    from = [412.6, 38.2]
    to = [7370844.77, 937945.96]
    residual = [-0.03585082571953535, -0.07199077564291656]
    left_out = 0.09974165242143414

    [[pair]]
    name = "bollard-D"
    from = [1208.4, 55.9]
    to = [7371618.14, 938134.0]
    residual = [-0.0002964930608868599, 0.022271162481047213]
    left_out = 0.031241324725275976

    [[pair]]
    name = "net-loft"
    from = [1455.0, 640.3]
    to = [7371733.53, 938757.71]
    residual = [-0.015323030762374401, -0.0009005945175886154]
    left_out = 0.025508062755098412

    [[pair]]
    name = "cannery-stack"
    from = [890.7, 905.5]
    to = [7371125.46, 938895.54]
    residual = [0.005020185373723507, 0.024676086148247123]
    left_out = 0.03427487508434783

    [[pair]]
    name = "tide-staff"
    from = [655.8, 377.7]
    to = [7371009.35, 938329.67]
    residual = [0.015388472937047482, -0.0028185418341308832]
    left_out = 0.01825894870857502

    [[pair]]
    name = "church-spire"
    from = [-220.5, 512.9]
    to = [7370124.49, 938273.56]
    residual = [0.02515216451138258, 0.01799622573889792]
    left_out = 0.05094300756047749
    "#);
    insta::assert_snapshot!(f.ok(&["convert", "harbour_piles.csv", "--via", "good.toml", "--x", "x", "--y", "y", "--to", "EPSG:4326", "-o", "piles.csv", "-v"]), @r#"
    harbour_piles
      source     harbour_piles.csv
      read as    encoding UTF-8 (found)
      read as    delimiter comma (found)
      read as    positions from columns "x" and "y", in harbour_pairs (a system of your own) (units of the local grid)
      operation  harbour_pairs (a system of your own) → WGS 84 (EPSG:4326)
                 by harbour_pairs, then North American Datum 1983 to WGS 84 (zero shift); accuracy 4.01 m
                 · harbour_pairs
                 · international feet to metres
                 · inverse of Lambert Conformal Conic 2SP of NAD83 / Oregon North (ft)
      extent     -123.78480 to -123.77987 east, 46.19265 to 46.19483 north
      ledger     24 rows in = 24 out + 0 set aside
      wrote      piles.csv
    "#);
}

#[test]
fn everyday_arithmetic_as_it_is_read() {
    let f = estuary();
    insta::assert_snapshot!(f.ok(&["calc", "zone", "10T"]), @r#"
    UTM zone 10: central meridian 123° W, from 126° W to 120° W
      band T     from 40° N to 48° N
      in WGS 84  EPSG:32610 (north), EPSG:32710 (south)
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "zone", "60N 5E"]), @r#"
    5° E, latitude 60° is in UTM zone 32: central meridian 9° E, from 6° E to 12° E
      from there 4.000000° west of the central meridian
      band       V; in WGS 84 EPSG:32632
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "units", "2500000", "ftUS", "--to", "ft", "--to", "m", "--to", "chain"]), @r#"
    2500000 US survey feet (0.3048006096 m each)
           value   unit                 metres in one   by
    ───────────────────────────────────────────────────────────────────────────────────────
         2500005   international feet          0.3048   agreement of 1959: 0.9144 m a yard
      762001.524   metres                           1   SI
     37878.86364   chains                     20.1168   agreement of 1959: 0.9144 m a yard
    taken as international feet it would be 762000 m, 1.524 m beside
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "units", "33.39", "grad", "--to", "degree"]), @r#"
    33.39 grad
      value   unit     by
    ─────────────────────────────────
     30.051   degree   360 in a turn
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "distance", "46.2N 123.8W", "46.3N 124.0W"]), @r#"
      46.2N 123.8W: latitude 46.2° N, longitude 123.8° W (decimal degrees)
      46.3N 124.0W: latitude 46.3° N, longitude 124° W (decimal degrees)
    on the ellipsoid WGS 84
      distance         19,010.9823 m (62,371.99 ft, 62,371.86 ftUS, 10.2651 nautical miles)
      azimuth          305.853607° at the first, 305.709134° at the second in the direction of travel
      azimuth back     125.709134°
      constant bearing 305.781412° over 19,010.9873 m
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "area", "60N 5E", "60N 6E", "61N 6E", "61N 5E", "--on", "EPSG:3857"]), @"
      60N 5E: latitude 60° N, longitude 5° E (decimal degrees)
      60N 6E: latitude 60° N, longitude 6° E (decimal degrees)
      61N 6E: latitude 61° N, longitude 6° E (decimal degrees)
      61N 5E: latitude 61° N, longitude 5° E (decimal degrees)
    polygon through 4 positions in their order, on the ellipsoid WGS 84
      area       6,122,943,163 m² (612,294.3163 ha, 1,513,012.2060 acres, 6,122.943163 km²)
      perimeter  332,747.879 m; the line without the closing side 221,327.151 m
      corners    run counter-clockwise
    on the map WGS 84 / Pseudo-Mercator (EPSG:3857)
      area       25,167,701,628 m², +311.0393 %
      perimeter  674,809.602 m; the line 448,724.292 m, +102.7425 %
      doubt      wrong-measure: WGS 84 / Pseudo-Mercator (EPSG:3857) is no map to measure on here: areas are 4.110 and lengths 2.027 times the true ones; measure on the ellipsoid, or choose a map with `crs advise`
    ");
    insta::assert_snapshot!(f.ok(&["calc", "sheet", "46.2N 123.8W"]), @r#"
    46.2N 123.8W: latitude 46.2° N, longitude 123.8° W (decimal degrees)
     series        sheet                 west       south      east       north   on it (from west, from south)
    ────────────────────────────────────────────────────────────────────────────────────────────────────────────
     1:1,000,000   NL-10                 -126          44      -120          48   36.7 %, 55.0 %
     1:500,000     NL-10-A               -126          46      -123          48   73.3 %, 10.0 %
     1:250,000     NL-10-5               -124          46      -122          47   10.0 %, 20.0 %
     1:200,000     NL-10-XV              -124          46      -123   46.666667   20.0 %, 30.0 %
     1:100,000     NL-10-65              -124          46    -123.5   46.333333   40.0 %, 60.0 %
     1:50,000      NL-10-65-A            -124   46.166667   -123.75   46.333333   80.0 %, 20.0 %
     1:25,000      NL-10-65-A-d      -123.875   46.166667   -123.75       46.25   60.0 %, 40.0 %
     1:10,000      NL-10-65-A-d-4   -123.8125   46.166667   -123.75   46.208333   20.0 %, 80.0 %
      mgrs       10TDS3827716580
      utm        10T 438278 5116580
    "#);
    insta::assert_snapshot!(f.ok(&["calc", "distortion", "survey_1958.txt", "--from", "EPSG:32026", "--on", "EPSG:2269"]), @r#"
      encoding UTF-8 (found)
      delimiter tab (found)
      3 lines above the header are passed over
      positions from columns "easting" and "northing" (found), in NAD27 / Oregon North (EPSG:32026) (US survey feet)
      1 row left out: not a coordinate
    NAD83 / Oregon North (ft) (EPSG:2269) at 29 of 29 positions
                                                    smallest          mean       largest
    ─────────────────────────────────────────────────────────────────────────────────────
     scale along the meridian                    1.000036700   1.000051465   1.000072763
     scale along the parallel                    1.000036700   1.000051465   1.000072763
     area scale                                  1.000073402   1.000102933   1.000145531
     convergence, true to grid north (degrees)     -2.410133     -2.346810     -2.271676
     angular distortion (degrees)                   0.000000      0.000000      0.000001
      lengths    off by up to 72.8 ppm (mm a kilometre)
      true       the line through the positions in their order 223,939.038 m, the polygon 40,747,869.2 m²
    on the map NAD83 / Oregon North (ft) (EPSG:2269)
      area       40,751,371.1 m², +0.0086 %
      perimeter  226,149.050 m; the line 223,951.222 m, +0.0054 %
    "#);
}

#[test]
fn one_coordinate_in_other_countries() {
    let f = Folder::new();
    insta::assert_snapshot!(f.ok(&["at", "TG 51409 13177"]), @r#"
    read as      easting 651409.5 m, northing 313177.5 m of OSGB36 / British National Grid (EPSG:27700), the centre of a square of 1 m (national grid of Great Britain)
                 a code names a cell; this is its centre, the cell is 1.0 m across
    in           OSGB36 (EPSG:4277), because the text says so
    to WGS 84    by OSGB36 to WGS 84, 7 parameters; accuracy 2 m

    the same spot in WGS 84
      decimal degrees                             52.657981, 1.716046                        last digit: 11.1 cm
      degrees and decimal minutes                 52° 39.4789' N, 1° 42.9628' E              last digit: 18.5 cm
      degrees, minutes and seconds                52° 39' 28.73" N, 1° 42' 57.77" E          last digit: 30.9 cm
      UTM                                         31U 413155.9 5834998.5                     last digit: 10.0 cm
      degrees, minutes and seconds in one number  523928.73N 0014257.77E                     last digit: 30.9 cm
      ISO 6709                                    +52.657981+001.716046/                     last digit: 11.1 cm
      military grid reference                     31UDU1315534998                            last digit: 1.0 m
      national grid of Great Britain              TG 51409 13177                             last digit: 1.0 m
      geohash                                     u135x41dfz                                 cell: 59.7 cm
      open location code                          9F43MP58+5CV                               cell: 2.8 m
      world geographic reference system           NKBH4296239478                             cell: 1.9 m
      global area reference system                364MX36                                    cell: 9.3 km
      Maidenhead locator                          JO02up57wv                                 cell: 19.3 m
      well-known text                             POINT (1.716046 52.657981)                 last digit: 11.1 cm
      geo address                                 geo:52.6579808,1.7160462                   last digit: 1.1 cm
      zone 31U, central meridian 3°, from 0° to 6°
      international map sheet 1:1,000,000 NN-31

    in other systems (easting or longitude first)
     code         name                                    x            y   unit      accuracy
    ──────────────────────────────────────────────────────────────────────────────────────────
     EPSG:4258    ETRS89                          1.7160462   52.6579808   degrees   3 m
     EPSG:32631   WGS 84 / UTM zone 31N           413155.94   5834998.48   metres    2 m
     EPSG:3043    ETRS89 / UTM zone 31N (N-E)     413155.94   5834998.48   metres    3 m
     EPSG:3034    ETRS89-extended / LCC Europe   3459581.62   2901047.35   metres    3 m
    "#);
    insta::assert_snapshot!(f.ok(&["at", "31U DQ 48251 11932", "--to", "EPSG:25831", "--to", "EPSG:2154"]), @r#"
    read as      zone 31, band U, easting 448251.5 m, northing 5411932.5 m, the centre of a square of 1 m (military grid reference)
                 a code names a cell; this is its centre, the cell is 1.0 m across
    in           WGS 84 (EPSG:4326), because --from says nothing else

    the same spot in WGS 84
      decimal degrees                             48.858198, 2.294496                        last digit: 11.1 cm
      degrees and decimal minutes                 48° 51.4919' N, 2° 17.6698' E              last digit: 18.5 cm
      degrees, minutes and seconds                48° 51' 29.51" N, 2° 17' 40.19" E          last digit: 30.9 cm
      UTM                                         31U 448251.5 5411932.5                     last digit: 10.0 cm
      degrees, minutes and seconds in one number  485129.51N 0021740.19E                     last digit: 30.9 cm
      ISO 6709                                    +48.858198+002.294496/                     last digit: 11.1 cm
      military grid reference                     31UDQ4825111932                            last digit: 1.0 m
      geohash                                     u09tunqg9s                                 cell: 59.7 cm
      open location code                          8FW4V75V+7QH                               cell: 2.8 m
      world geographic reference system           NKCD1766951491                             cell: 1.9 m
      global area reference system                365MP24                                    cell: 9.3 km
      Maidenhead locator                          JN18du55ix                                 cell: 19.3 m
      well-known text                             POINT (2.294496 48.858198)                 last digit: 11.1 cm
      geo address                                 geo:48.8581984,2.2944960                   last digit: 1.1 cm
      zone 31U, central meridian 3°, from 0° to 6°
      international map sheet 1:1,000,000 NM-31

    in other systems (easting or longitude first)
     code         name                            x            y   unit     accuracy
    ─────────────────────────────────────────────────────────────────────────────────
     EPSG:25831   ETRS89 / UTM zone 31N   448251.50   5411932.50   metres   1 m
     EPSG:2154    RGF93 v1 / Lambert-93   648236.81   6862249.27   metres   1 m
      EPSG:25831 by inverse of European Terrestrial Reference System 1989 to WGS 84 (zero shift)
      EPSG:2154 by inverse of Reseau Geodesique Francais 1993 v1 to WGS 84 (zero shift)
    "#);
    insta::assert_snapshot!(
        f.ok(&["at", "--from", "EPSG:4938", "--to", "EPSG:7842", "--", "-4052051.7643 4212836.2017 -2545106.0245"]),
        @r#"
        read as      X -4052051.7643, Y 4212836.2017, Z -2545106.0245 m (geocentric coordinates)
        in           GDA94 (EPSG:4283)
        to WGS 84    by Geocentric Datum of Australia 1994 to WGS 84 (zero shift); accuracy 1 m

        the same spot in WGS 84
          decimal degrees                             -23.670124, 133.885513                     last digit: 11.1 cm
          degrees and decimal minutes                 23° 40.2074' S, 133° 53.1308' E            last digit: 18.5 cm
          degrees, minutes and seconds                23° 40' 12.45" S, 133° 53' 07.85" E        last digit: 30.8 cm
          UTM                                         53K 386352.4 7381850.8                     last digit: 10.0 cm
          degrees, minutes and seconds in one number  234012.45S 1335307.85E                     last digit: 30.8 cm
          ISO 6709                                    -23.670124+133.885513/                     last digit: 11.1 cm
          military grid reference                     53KLP8635281850                            last digit: 1.0 m
          geohash                                     qgz1qdurw9                                 cell: 59.4 cm
          open location code                          5Q8M8VHP+X62                               cell: 2.8 m
          world geographic reference system           WEPG5313019792                             cell: 1.8 m
          global area reference system                628FN28                                    cell: 9.2 km
          Maidenhead locator                          PG66wh69ge                                 cell: 19.2 m
          well-known text                             POINT (133.885513 -23.670124)              last digit: 11.1 cm
          geo address                                 geo:-23.6701239,133.8855133                last digit: 1.1 cm
          zone 53K, central meridian 135°, from 132° to 138°
          international map sheet 1:1,000,000 SF-53

        in other systems (easting or longitude first)
         code        name                x            y              z   unit     accuracy
        ───────────────────────────────────────────────────────────────────────────────────
         EPSG:7842   GDA2020   -4052052.74   4212835.99   -2545104.590   metres   0.01 m
          EPSG:7842 by GDA94 to GDA2020
        "#
    );
}

#[test]
fn wrong_usage_is_answered_with_what_to_do() {
    let f = estuary();
    let r = |line: &str| f.refusal(&line.split(' ').collect::<Vec<_>>());
    insta::assert_snapshot!(r("crs between EPSG:4267 EPSG:5703"), @r#"[1] basilocus: NAVD88 height (EPSG:5703) is a vertical system: it says how high, not where; put it on a horizontal system, such as EPSG:4326+5703"#);
    insta::assert_snapshot!(r("crs show missing.prj"), @r#"[1] basilocus: missing.prj: is not a reference system that can be read: there is no such file; check its name, or say a code or name of the catalogue"#);
    insta::assert_snapshot!(r("crs advise --for fun Oregon"), @r#"
    [2] error: invalid value 'fun' for '--for <PURPOSE>': "fun" is no purpose; one of measure, area, national, world, web is expected

    For more information, try '--help'.
    "#);
    insta::assert_snapshot!(r("crs detect survey_1958.txt --near Atlantis"), @r#"[2] basilocus: "Atlantis" is not a place: LON,LAT or WEST,SOUTH,EAST,NORTH in degrees, or words of an area of use are expected, such as Oregon"#);
    insta::assert_snapshot!(r("fit harbour_pairs.csv --to EPSG:4326 -o x.toml"), @r#"[2] basilocus: --to WGS 84 (EPSG:4326) is a geographic system; a fit in the plane needs a projected one, whose units are lengths"#);
    insta::assert_snapshot!(r("fit harbour_pairs.csv --to EPSG:2269 -o x.toml --kind rubber"), @r#"
    [2] error: invalid value 'rubber' for '--kind <KIND>': "rubber" is no kind of fit; one of translation, conformal, affine, polynomial, translation-3d, similarity-3d is expected

    For more information, try '--help'.
    "#);
    insta::assert_snapshot!(r("fit harbour_pairs.csv --to EPSG:2269 -o x.toml --old point,x_1931_ft --new easting_ft,northing_ft"), @r#"[1] basilocus: harbour_pairs.csv: row 2, column "point": "wharf-corner" is not a number (at character 1: "w"); a number is expected"#);
    insta::assert_snapshot!(r("fit harbour_piles.csv --to EPSG:2269 -o x.toml"), @r#"[1] basilocus: harbour_piles.csv: 3 columns hold numbers (x, y, set_in); conformal needs 4: say them with --old X,Y and --new X,Y"#);
    insta::assert_snapshot!(r("calc units 1 cubit"), @r#"[2] basilocus: "cubit" is no unit that is known; there are metre, kilometre, centimetre, millimetre, foot, yard, inch, mile, chain, link, rod, furlong, fathom, nautical mile, US survey foot, US survey yard, US survey inch, US survey mile, US survey chain, US survey link, US survey rod, Clarke's foot, Clarke's yard, Clarke's chain, Clarke's link, British foot (Sears 1922), British yard (Sears 1922), British chain (Sears 1922), British link (Sears 1922), British foot (Sears 1922 truncated), British yard (Sears 1922 truncated), British chain (Sears 1922 truncated), British link (Sears 1922 truncated), British foot (Benoit 1895 B), British yard (Benoit 1895 B), British chain (Benoit 1895 B), British link (Benoit 1895 B), British foot (1936), Indian foot, Indian yard, Gold Coast foot, German legal metre, are, hectare, dunam, acre, rood, US survey acre, degree, arc-minute, arc-second, grad, centesimal minute, centesimal second, radian, milliradian, mil, turn, and the squares of lengths"#);
    insta::assert_snapshot!(r("calc distance 46.2N,123.8W 95N,3E"), @r#"[1] basilocus: "95N,3E" is latitude 95, outside −90…90"#);
    insta::assert_snapshot!(r("calc zone 84.5N,10E"), @r#"[2] basilocus: "84.5N,10E": UTM reaches from 80° S to 84° N; polewards the polar stereographic grid is used (EPSG:5041, EPSG:5042)"#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o x.csv --epoch 12"), @r#"[2] basilocus: --epoch 12: a decimal year is expected, such as 2020.5"#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o x.csv --grids nowhere"), @r#"[2] basilocus: --grids nowhere: there is no such folder"#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o x.csv --require-accuracy 0.5"), @r#"[1] basilocus: no way from NAD27 / Oregon North (EPSG:32026) to WGS 84 (EPSG:4326) is accurate to 0.5 m: the best is "NAD27 to WGS 84, western states" with 8 m; ask for less, or bring what gives it: a grid file (--grids) or a fit of your own (--via FILE)"#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o x.csv --notation runes"), @r#"
    [2] error: invalid value 'runes' for '--notation <NOTATION>': "runes" is no notation; one of decimal-degrees, degrees-minutes, degrees-minutes-seconds, utm, packed, iso-6709, mgrs, great-britain-grid, irish-grid, geohash, open-location-code, georef, gars, maidenhead, well-known-text, geo-uri is expected

    For more information, try '--help'.
    "#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o x.csv --via nowhere.toml"), @r#"[1] basilocus: nowhere.toml: is not a transformation that can be read: there is no such file; `basilocus fit` makes one"#);
    insta::assert_snapshot!(r("convert survey_1958.txt --from local --to EPSG:4326 -o x.csv"), @r#"[1] basilocus: nothing ties local grid to other systems; say a fitted transformation with --via FILE (made with `basilocus fit`)"#);
}
