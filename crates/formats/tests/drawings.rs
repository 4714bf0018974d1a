//! DXF: drawings written by hand from the reference, as text and binary, drawings made by a package that is not ours, and
//! what we write as that package reads it.

mod common;

use basilocus_formats::{InputOptions, Presentation, layers};
use common::{layer, read, read_bytes, system, write};
use dxf::entities::EntityType;
use proptest::prelude::*;

/// Pairs as the text of a drawing.
fn pairs(list: &[(i32, &str)]) -> String {
    list.iter().map(|(c, v)| format!("{c:>3}\n{v}\n")).collect()
}

/// A drawing of blocks that draw each other, and an insert of the last one; none draws the point of the first.
fn nested(blocks: &[(&str, &str)]) -> String {
    let insert = |block: &str| pairs(&[(0, "INSERT"), (8, "0"), (2, block), (10, "0"), (20, "0")]);
    let mut text = pairs(&[(0, "SECTION"), (2, "BLOCKS")]);
    for (name, drawn) in blocks {
        text += &pairs(&[(0, "BLOCK"), (8, "0"), (2, name), (10, "0"), (20, "0")]);
        text += &if drawn.is_empty() { pairs(&[(0, "POINT"), (8, "0"), (10, "1"), (20, "2")]) } else { insert(drawn) };
        text += &pairs(&[(0, "ENDBLK")]);
    }
    let last = blocks.last().map_or("", |(name, _)| name);
    text + &pairs(&[(0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES")])
        + &insert(last)
        + &pairs(&[(0, "ENDSEC"), (0, "EOF")])
}

#[test]
fn blocks_in_blocks_are_drawn_and_what_has_no_end_is_set_aside() {
    let names: Vec<String> = (0..30).map(|i| format!("A{i}")).collect();
    let chain: Vec<(&str, &str)> =
        (0..30).map(|i| (names[i].as_str(), if i == 0 { "" } else { names[i - 1].as_str() })).collect();
    let found = read_bytes("chain.dxf", nested(&chain).as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!((found.rows.len(), found.aside.len()), (31, 0), "30 inserts, and the point at their end");
    assert_eq!(found.column("type").last(), Some(&"POINT"));
    for blocks in [&[("A", "a")][..], &[("A", "B"), ("B", "A")]] {
        let found = read_bytes("round.dxf", nested(blocks).as_bytes(), &InputOptions::default()).unwrap();
        assert_eq!(found.rows.len(), blocks.len());
        let reasons: Vec<&str> = found.aside.iter().map(|a| a.reason.as_str()).collect();
        assert!(matches!(reasons.as_slice(), [one] if one.contains("is inserted in itself")), "{reasons:?}");
    }
    let names: Vec<String> = (0..80).map(|i| format!("A{i}")).collect();
    let deep: Vec<(&str, &str)> =
        (0..80).map(|i| (names[i].as_str(), if i == 0 { "" } else { names[i - 1].as_str() })).collect();
    let found = read_bytes("deep.dxf", nested(&deep).as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!((found.rows.len(), found.aside.len()), (64, 1));
    assert!(found.aside[0].reason.contains("lies in 64 others"), "{}", found.aside[0].reason);
}

fn drawing(entities: &str) -> String {
    let head = pairs(&[
        (999, "made by hand"),
        (0, "SECTION"),
        (2, "HEADER"),
        (9, "$INSUNITS"),
        (70, "2"),
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "TABLES"),
        (0, "TABLE"),
        (2, "LAYER"),
        (70, "1"),
        (0, "LAYER"),
        (2, "GATES"),
        (70, "0"),
        (62, "-3"),
        (0, "ENDTAB"),
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "BLOCKS"),
        (0, "BLOCK"),
        (8, "0"),
        (2, "Weir"),
        (10, "1"),
        (20, "0"),
        (0, "LINE"),
        (8, "0"),
        (62, "0"),
        (10, "1"),
        (20, "0"),
        (11, "3"),
        (21, "0"),
        (0, "TEXT"),
        (8, "NOTES"),
        (10, "1"),
        (20, "1"),
        (1, "%%u12%%d"),
        (0, "ENDBLK"),
        (8, "0"),
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "ENTITIES"),
    ]);
    format!("{head}{entities}{}", pairs(&[(0, "ENDSEC"), (0, "EOF")]))
}

fn of(entities: &str) -> common::Read {
    read_bytes("a.dxf", drawing(entities).as_bytes(), &InputOptions::default()).unwrap()
}

#[test]
fn points_inserts_and_what_their_blocks_draw() {
    let r = of(&pairs(&[
        (0, "POINT"),
        (8, "GATES"),
        (10, "7366633.86"),
        (20, "940706.86"),
        (1001, "ANY"),
        (1000, "owner=A. Finch"),
        (0, "INSERT"),
        (8, "GATES"),
        (2, "TAG"),
        (66, "1"),
        (10, "7366640"),
        (20, "940700"),
        (50, "30"),
        (0, "ATTRIB"),
        (8, "GATES"),
        (10, "0"),
        (20, "0"),
        (2, "NO"),
        (1, "007"),
        (0, "SEQEND"),
        (8, "GATES"),
        (0, "INSERT"),
        (8, "GATES"),
        (62, "5"),
        (2, "WEIR"),
        (10, "7366600"),
        (20, "940600"),
        (41, "2"),
        (50, "90"),
        (0, "HATCH"),
        (8, "GATES"),
        (0, "POINT"),
        (8, "GATES"),
        (67, "1"),
        (10, "1"),
        (20, "1"),
    ]));
    assert_eq!(r.names, ["layer", "type", "color", "owner", "block", "rotation", "NO", "text", "geometry"]);
    assert_eq!(r.column("type"), ["POINT", "INSERT", "INSERT", "LINE", "TEXT"]);
    assert_eq!(r.column("owner")[0], "A. Finch");
    assert_eq!(r.column("NO"), ["", "007", "", "", ""]);
    assert_eq!(r.column("color"), ["3", "3", "5", "5", ""], "of the layer, of the entity, of its block");
    assert_eq!(r.column("layer")[3..], ["GATES", "NOTES"], "layer 0 in a block is that of the insert");
    assert_eq!(r.column("block"), ["", "TAG", "WEIR", "WEIR", "WEIR"]);
    assert_eq!(r.column("text")[4], "12°");
    let shapes = r.column("geometry");
    assert_eq!(shapes[0], "POINT (7366633.86 940706.86)");
    // Moved by the block's origin, twice as long, turned by a right angle.
    assert_eq!(shapes[3], "LINESTRING (7366600 940600, 7366600 940604)");
    assert_eq!(shapes[4], "POINT (7366599 940600)");
    let aside: Vec<&str> = r.aside.iter().map(|a| a.class.as_str()).collect();
    assert_eq!(aside, ["not read", "in a layout"]);
    assert!(r.notes.iter().any(|n| n.contains("in feet")), "{:?}", r.notes);
    assert!(r.suspicions.is_empty());
}

#[test]
fn lines_and_areas() {
    let r = of(&pairs(&[
        (0, "LWPOLYLINE"),
        (8, "A"),
        (90, "4"),
        (70, "1"),
        (38, "2.5"),
        (10, "0"),
        (20, "0"),
        (10, "4"),
        (20, "0"),
        (10, "4"),
        (20, "4"),
        (10, "0"),
        (20, "4"),
        (0, "POLYLINE"),
        (8, "A"),
        (66, "1"),
        (70, "8"),
        (0, "VERTEX"),
        (8, "A"),
        (10, "0"),
        (20, "0"),
        (30, "1"),
        (70, "32"),
        (0, "VERTEX"),
        (8, "A"),
        (10, "5"),
        (20, "5"),
        (30, "2"),
        (70, "32"),
        (0, "SEQEND"),
        (8, "A"),
        (0, "SOLID"),
        (8, "A"),
        (10, "0"),
        (20, "0"),
        (11, "2"),
        (21, "0"),
        (12, "0"),
        (22, "2"),
        (13, "2"),
        (23, "2"),
        (0, "LWPOLYLINE"),
        (8, "A"),
        (90, "2"),
        (70, "0"),
        (10, "0"),
        (20, "0"),
        (42, "1"),
        (10, "2"),
        (20, "0"),
    ]));
    let shapes = r.column("geometry");
    assert_eq!(shapes[0], "POLYGON Z ((0 0 2.5, 4 0 2.5, 4 4 2.5, 0 4 2.5, 0 0 2.5))");
    assert_eq!(shapes[1], "LINESTRING Z (0 0 1, 5 5 2)");
    assert_eq!(shapes[2], "POLYGON Z ((0 0 0, 2 0 0, 2 2 0, 0 2 0, 0 0 0))", "corners numbered like a Z");
    // A bulge of one is a half circle: 91 positions one unit from the middle.
    let arc: Vec<&str> = shapes[3].trim_start_matches("LINESTRING Z (").trim_end_matches(')').split(", ").collect();
    assert_eq!((arc.len(), arc[0], arc[90]), (91, "0 0 0", "2 0 0"));
    // Small numbers: the drawing has a system of its own only where they are no degrees either.
    assert!(r.suspicions.is_empty(), "{:?}", r.suspicions);
    let r = of(&pairs(&[(0, "POINT"), (8, "A"), (10, "420"), (20, "297")]));
    assert!(matches!(r.suspicions[..], [basilocus_formats::Suspicion::LocalDrawing { .. }]));
}

/// The same pairs in the binary form.
#[test]
fn the_binary_form() {
    let mut bytes = b"Program Binary DXF\r\n\x1A\0".to_vec();
    let mut put = |code: u16, value: &[u8]| {
        bytes.extend(code.to_le_bytes());
        bytes.extend(value);
    };
    for text in ["SECTION\0", "ENTITIES\0", "POINT\0"] {
        put(if text == "ENTITIES\0" { 2 } else { 0 }, text.as_bytes());
    }
    put(8, b"GATES\0");
    put(62, &5i16.to_le_bytes());
    put(10, &7366633.86f64.to_le_bytes());
    put(20, &940706.86f64.to_le_bytes());
    put(0, b"ENDSEC\0");
    put(0, b"EOF\0");
    let r = read_bytes("b.dxf", &bytes, &InputOptions::default()).unwrap();
    assert_eq!(r.rows, [["GATES", "POINT", "5", "7366633.86 940706.86"]]);
    let message = read_bytes("b.dxf", &bytes[..bytes.len() - 20], &InputOptions::default()).unwrap_err();
    assert!(message.contains("cut"), "{message}");
}

#[test]
fn what_is_broken_is_said_with_its_line() {
    let whole = drawing(&pairs(&[(0, "POINT"), (8, "A"), (10, "1"), (20, "1")]));
    let message =
        read_bytes("a.dxf", whole.replacen(" 20\n1\n", "xx\n1\n", 1).as_bytes(), &InputOptions::default()).unwrap_err();
    assert!(message.contains("a.dxf, line") && message.contains("xx\" is no group code"), "{message}");
    let message = read_bytes("a.dxf", whole.replace("EOF\n", "").as_bytes(), &InputOptions::default()).unwrap_err();
    assert!(message.contains("cut"), "{message}");
    assert!(read_bytes("a.dxf", drawing("").as_bytes(), &InputOptions::default()).unwrap_err().contains("no entity"));
    // A block in itself, and blocks of blocks: no end without a limit.
    let mut bomb = pairs(&[(0, "SECTION"), (2, "BLOCKS")]);
    for i in 0..12 {
        let (name, inner) = (format!("B{i}"), format!("B{}", (i + 1) % 12));
        bomb.push_str(&pairs(&[(0, "BLOCK"), (8, "0"), (2, &name), (10, "0"), (20, "0")]));
        for _ in 0..12 {
            bomb.push_str(&pairs(&[
                (0, "INSERT"),
                (8, "0"),
                (2, &inner),
                (10, "1"),
                (20, "0"),
                (70, "30000"),
                (71, "30000"),
            ]));
        }
        bomb.push_str(&pairs(&[(0, "ENDBLK"), (8, "0")]));
    }
    bomb.push_str(&pairs(&[
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "ENTITIES"),
        (0, "INSERT"),
        (8, "0"),
        (2, "B0"),
        (10, "0"),
        (20, "0"),
        (0, "ENDSEC"),
        (0, "EOF"),
    ]));
    let message = read_bytes("bomb.dxf", bomb.as_bytes(), &InputOptions::default()).unwrap_err();
    assert!(message.contains("no drawing is meant to do"), "{message}");
}

#[test]
fn a_drawing_of_another_package_is_read() {
    use dxf::entities::{Circle, Entity, Line, ModelPoint, Text};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("theirs.dxf");
    for binary in [false, true] {
        let mut d = dxf::Drawing::new();
        d.header.version = dxf::enums::AcadVersion::R2010;
        let mut add = |layer: &str, specific: EntityType| {
            let mut e = Entity::new(specific);
            e.common.layer = layer.into();
            d.add_entity(e);
        };
        let at = |x: f64, y: f64| dxf::Point::new(x, y, 0.0);
        add("GATES", EntityType::ModelPoint(ModelPoint::new(at(7366633.86, 940706.86))));
        add("DITCHES", EntityType::Line(Line::new(at(7366600.0, 940600.0), at(7366700.0, 940650.5))));
        add("TANKS", EntityType::Circle(Circle::new(at(7366600.0, 940600.0), 10.0)));
        add(
            "NOTES",
            EntityType::Text(Text { location: at(7366600.0, 940500.0), value: "Mühle".into(), ..Default::default() }),
        );
        if binary { d.save_file_binary(path.to_str().unwrap()) } else { d.save_file(path.to_str().unwrap()) }.unwrap();
        let r = read(&path, &InputOptions::default()).unwrap();
        assert_eq!(r.column("layer"), ["GATES", "DITCHES", "TANKS", "NOTES"], "binary: {binary}");
        assert_eq!(r.column("text")[3], "Mühle");
        let shapes = r.column("geometry");
        assert_eq!(shapes[0], "POINT (7366633.86 940706.86)");
        assert_eq!(shapes[1], "LINESTRING (7366600 940600, 7366700 940650.5)");
        assert!(shapes[2].starts_with("POLYGON ((7366610 940600, "));
        assert_eq!(layers(&path).unwrap().len(), 4);
        let one = read(&path, &InputOptions { layer: Some("tanks".into()), ..Default::default() }).unwrap();
        assert_eq!(one.rows.len(), 1);
    }
}

#[test]
fn another_package_reads_what_we_write() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ours.dxf");
    let rows = [
        (Some("Mühle 50%"), Some(1.25), Some(7), Some("POINT Z (7366633.86 940706.86 4.5)")),
        (Some("flap"), None, None, Some("LINESTRING (0 0, 10 5.5)")),
        (Some("pond"), None, None, Some("POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))")),
    ];
    let show = Presentation { category: Some(0), ..Default::default() };
    let (out, batch) = layer(&rows, system(2269, false), show);
    let told = write(&path, &out, &batch).unwrap();
    assert!(told.iter().any(|t| t.contains("no place for its reference system")), "{told:?}");
    assert!(told.iter().any(|t| t.contains("holes of polygons")), "{told:?}");
    let d = dxf::Drawing::load_file(path.to_str().unwrap()).unwrap();
    let mut layers: Vec<String> = d.layers().map(|l| l.name.clone()).collect();
    layers.sort();
    assert_eq!(layers, ["0", "FLAP", "M_HLE_50_", "POND"]);
    let entities: Vec<&dxf::entities::Entity> = d.entities().collect();
    assert_eq!(entities.len(), 4, "the ring of the hole is a line of its own");
    let EntityType::Insert(insert) = &entities[0].specific else { panic!() };
    assert_eq!((insert.location.x, insert.location.y, insert.location.z), (7366633.86, 940706.86, 4.5));
    let attributes: Vec<(String, String)> =
        insert.attributes().map(|a| (a.attribute_tag.clone(), a.value.clone())).collect();
    assert_eq!(attributes[1], ("WIDTH".to_string(), "1.25".to_string()));
    let EntityType::Polyline(line) = &entities[2].specific else { panic!() };
    assert!(line.is_closed());
    assert_eq!(line.vertices().count(), 4);
    assert_eq!(d.blocks().next().unwrap().name, "GATES");
    // And we read it back, with the columns of lines as well.
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.column("NAME"), ["Mühle 50%", "flap", "pond", "pond"]);
    assert_eq!(r.column("COUNT")[0], "7");
    assert_eq!(r.column("geometry")[0], "POINT Z (7366633.86 940706.86 4.5)");
    let none = [(Some("nowhere"), None, None, None)];
    let (out, batch) = layer(&none, system(2269, false), Presentation::default());
    assert!(write(&path, &out, &batch).unwrap_err().to_string().contains("row 1 has no geometry"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn damaged_drawings_do_no_harm(cut in 0usize..1500, flips in prop::collection::vec((0usize..1500, any::<u8>()), 0..6)) {
        let whole = drawing(&pairs(&[
            (0, "INSERT"), (8, "A"), (2, "WEIR"), (10, "1"), (20, "1"), (70, "3"), (44, "2"),
            (0, "SPLINE"), (8, "A"), (71, "2"), (40, "0"), (40, "0"), (40, "0"), (40, "1"), (40, "1"), (40, "1"),
            (10, "0"), (20, "0"), (10, "1"), (20, "1"), (10, "2"), (20, "0"),
            (0, "ARC"), (8, "A"), (10, "1"), (20, "1"), (40, "2"), (50, "10"), (51, "80"),
        ]));
        let mut bytes = whole.into_bytes();
        for (at, bits) in flips {
            let n = bytes.len();
            bytes[at % n] ^= bits;
        }
        bytes.truncate(cut.max(1));
        let _ = read_bytes("a.dxf", &bytes, &InputOptions::default());
    }
}
