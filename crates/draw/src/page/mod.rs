//! A map as one page for a browser: it asks for nothing else, and every row that is drawn can be read in it as text.
//!
//! What is drawn stands in the page as JSON; `page.js` paints it, `page.css` says how all else looks, and `page.html` is what
//! they are put into.

use crate::PictureError;
use crate::bitmap;
use crate::canvas::Pixels;
use crate::color::{CATEGORIES, NOTHING, ramp};
use crate::map;
use crate::scene::{Layer, MOST_CATEGORIES, Marks, Paint, Ramp, Scene, Shape};
use base64::Engine;
use serde_json::{Map, Value, json};

const SKELETON: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// From here on the marks of a layer are one picture in a page, and their rows are left out.
pub const MOST_MARKS: usize = 30_000;
/// Colours of a range of numbers.
const STEPS: usize = 64;
/// Width and height of the picture of a layer of very many marks.
const PICTURE: [f64; 2] = [2400.0, 1600.0];

/// A scene as a page.
pub(crate) fn written(scene: &Scene) -> Result<String, PictureError> {
    let title = scene.title.clone().unwrap_or_else(|| "Map".into());
    let notes: String = scene.notes.iter().map(|n| format!("<p>{}</p>\n", escaped(n))).collect();
    let digits = digits_of(scene.window);
    let lines: Vec<Value> = scene
        .grid
        .iter()
        .map(|line| json!({ "part": flat(&line.points, digits), "label": line.label, "upright": line.is_upright }))
        .collect();
    let layers = scene.layers.iter().map(|layer| of_layer(layer, scene, digits));
    let layers = layers.collect::<Result<Vec<Value>, PictureError>>()?;
    let data = json!({
        "window": scene.window,
        "metresPerUnit": scene.metres_per_unit,
        "inFeet": scene.in_feet,
        "north": scene.north_deg,
        "axes": {
            "names": scene.axes.names,
            "unit": scene.axes.unit,
            "digits": scene.axes.digits,
            "areTheGrid": scene.axes.are_the_grid,
        },
        "grid": if scene.axes.are_the_grid { Vec::new() } else { lines },
        "layers": layers,
    });
    let parts = [
        ("title", escaped(&title)),
        ("style", STYLE.to_string()),
        ("notes", notes),
        ("data", inside_of_a_script(&data.to_string())),
        ("script", SCRIPT.to_string()),
    ];
    Ok(filled(SKELETON, &parts))
}

/// A text with each `{name}` replaced; what is put in is not looked at again.
fn filled(skeleton: &str, parts: &[(&str, String)]) -> String {
    let mut out = String::new();
    let mut rest = skeleton;
    while let Some(at) = rest.find('{') {
        out.push_str(&rest[..at]);
        let part =
            parts.iter().find(|(name, _)| rest[at + 1..].strip_prefix(*name).is_some_and(|r| r.starts_with('}')));
        match part {
            Some((name, text)) => {
                out.push_str(text);
                rest = &rest[at + name.len() + 2..];
            }
            None => {
                out.push('{');
                rest = &rest[at + 1..];
            }
        }
    }
    out + rest
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// JSON that no end of a script stands in, whatever the texts of a table say.
fn inside_of_a_script(json: &str) -> String {
    json.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029")
}

/// Digits after the point that tell places apart at a ten-millionth of the window.
fn digits_of([w, s, e, n]: [f64; 4]) -> i32 {
    let span = (e - w).max(n - s).max(w.abs().max(e.abs()) * 1e-7).max(1e-9);
    (7.0 - span.log10() - 1e-9).ceil().clamp(0.0, 9.0) as i32
}

/// Coordinates one after the other, with so many digits.
fn flat(points: &[[f64; 2]], digits: i32) -> Vec<Value> {
    let factor = 10f64.powi(digits);
    points.iter().flatten().map(|v| number((v * factor).round() / factor)).collect()
}

/// Whole numbers without a point.
fn number(v: f64) -> Value {
    if v.fract() == 0.0 && v.abs() < 1e15 { Value::from(v as i64) } else { Value::from(v) }
}

fn of_layer(layer: &Layer, scene: &Scene, digits: i32) -> Result<Value, PictureError> {
    match layer {
        Layer::Picture { name, pixels, bounds, legend } => {
            let key = legend.as_ref().map_or_else(|| json!({}), key_of_ramp);
            let picture = picture(pixels, *bounds);
            Ok(json!({ "name": name, "form": "none", "colors": [], "key": key, "picture": picture }))
        }
        Layer::Marks(marks) => of_marks(marks, scene, digits),
    }
}

fn picture(pixels: &Pixels, bounds: [f64; 4]) -> Value {
    let bytes = bitmap::packed(pixels).unwrap_or_default();
    let address = format!("data:image/png;base64,{}", base64::engine::general_purpose::STANDARD.encode(bytes));
    json!({ "address": address, "bounds": bounds })
}

fn key_of_ramp(of: &Ramp) -> Value {
    let colors: Vec<String> = (0..=16).map(|i| ramp(f64::from(i) / 16.0).hex()).collect();
    json!({ "title": of.title, "range": of.range.map(map::short), "ramp": colors })
}

fn of_marks(marks: &Marks, scene: &Scene, digits: i32) -> Result<Value, PictureError> {
    let form = match marks.shapes.first() {
        Some(Shape::Polygon(_)) => "polygon",
        Some(Shape::Line(_)) => "line",
        _ => "point",
    };
    let mut out = Map::new();
    out.insert("name".into(), marks.name.clone().into());
    out.insert("form".into(), form.into());
    let (colors, key) = colors(&marks.paint);
    out.insert("colors".into(), colors.into());
    out.insert("key".into(), key);
    if marks.shapes.len() > MOST_MARKS {
        let (pixels, bounds) = map::picture_of(marks, scene.window, PICTURE)?;
        out.insert("picture".into(), picture(&pixels, bounds));
        out.insert(
            "remark".into(),
            format!("{} marks as a picture; their rows are not in this page", marks.shapes.len()).into(),
        );
        return Ok(out.into());
    }
    let row_of = |mark: usize| marks.rows.as_ref().and_then(|r| r.of.get(mark)).copied().unwrap_or(mark);
    let shapes: Vec<Value> = marks
        .shapes
        .iter()
        .enumerate()
        .map(|(i, shape)| {
            let mut parts: Vec<Value> = vec![color_place(&marks.paint, i).into(), row_of(i).into()];
            match shape {
                Shape::Point(p) => parts.extend([0.into(), flat(&[*p], digits).into()]),
                Shape::Line(line) => parts.extend([1.into(), flat(line, digits).into()]),
                Shape::Polygon(rings) => {
                    parts.push(2.into());
                    parts.extend(rings.iter().map(|ring| Value::from(flat(ring, digits))));
                }
            }
            parts.into()
        })
        .collect();
    out.insert("marks".into(), shapes.into());
    if !marks.labels.is_empty() {
        out.insert("labels".into(), json!(marks.labels));
    }
    if let Some(rows) = &marks.rows {
        let factor = 1e7;
        let place = |p: &Option<[f64; 2]>| p.map(|p| p.map(|v| (v * factor).round() / factor));
        out.insert("columns".into(), json!(rows.columns));
        out.insert("cells".into(), json!(rows.cells));
        out.insert("numbers".into(), json!(rows.numbers));
        let lost: Map<String, Value> =
            rows.reasons.iter().enumerate().filter_map(|(i, r)| Some((i.to_string(), r.clone()?.into()))).collect();
        out.insert("reasons".into(), lost.into());
        out.insert("places".into(), json!(rows.places.iter().map(place).collect::<Vec<_>>()));
    }
    Ok(out.into())
}

/// The colours that a layer has, and what the key says of them.
fn colors(paint: &Paint) -> (Vec<String>, Value) {
    match paint {
        Paint::Plain(_) => {
            let color = paint.color(0).hex();
            (vec![color.clone()], json!({ "color": color }))
        }
        Paint::Categories { title, names, of } => {
            let mut colors: Vec<String> = names.iter().zip(CATEGORIES).map(|(_, c)| c.hex()).collect();
            let mut entries: Vec<(String, String)> = names.iter().cloned().zip(colors.iter().cloned()).collect();
            colors.push(NOTHING.hex());
            if names.len() > MOST_CATEGORIES || of.iter().any(Option::is_none) {
                entries.push(("others, or none".into(), NOTHING.hex()));
            }
            (colors, json!({ "title": title, "entries": entries }))
        }
        Paint::Numbers { ramp: of, .. } => {
            let mut colors: Vec<String> = (0..STEPS).map(|i| ramp((i as f64 + 0.5) / STEPS as f64).hex()).collect();
            colors.push(NOTHING.hex());
            (colors, key_of_ramp(of))
        }
    }
}

/// Which of its layer's colours a mark has.
fn color_place(paint: &Paint, mark: usize) -> usize {
    match paint {
        Paint::Plain(_) => 0,
        Paint::Categories { names, of, .. } => {
            let most = names.len().min(MOST_CATEGORIES);
            of.get(mark).copied().flatten().filter(|c| *c < most).unwrap_or(most)
        }
        Paint::Numbers { ramp, of } => {
            let share = of.get(mark).and_then(|v| ramp.share(*v));
            share.map_or(STEPS, |s| ((s * STEPS as f64) as usize).min(STEPS - 1))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::scene::Rows;

    fn scene() -> Scene {
        let mut scene = Scene::new([438_000.0, 5_116_000.0, 439_000.0, 5_117_000.0]);
        let shapes = vec![
            Shape::Point([438_000.123_456, 5_116_000.0]),
            Shape::Line(vec![[438_000.0, 5_116_000.0], [439_000.0, 5_117_000.0]]),
        ];
        let mut marks = Marks::plain("gates", shapes);
        marks.rows = Some(Rows {
            columns: vec!["name".into()],
            cells: vec![vec!["</script><script>alert(1)</script>".into()]],
            places: vec![Some([-123.8, 46.2])],
            numbers: vec![2],
            reasons: vec![None],
            of: vec![0, 0],
        });
        scene.layers.push(Layer::Marks(marks));
        scene
    }

    fn data(page: &str) -> Value {
        let text = page.split("<script id=\"data\" type=\"application/json\">").nth(1).unwrap();
        serde_json::from_str(text.split("</script>").next().unwrap()).unwrap()
    }

    #[test]
    fn what_a_table_says_stays_text() {
        let mut scene = scene();
        scene.title = Some("Gates & <b>weirs</b> {data} \"new\"".into());
        scene.notes.push("<img src=x>".into());
        let page = written(&scene).unwrap();
        assert_eq!(page.matches("</script>").count(), 2, "of the data and of the script");
        assert!(page.contains("<h1>Gates &amp; &lt;b&gt;weirs&lt;/b&gt; {data} &quot;new&quot;</h1>"));
        assert!(page.contains("<p>&lt;img src=x&gt;</p>"));
        assert_eq!(data(&page)["layers"][0]["cells"][0][0], "</script><script>alert(1)</script>");
        // Nothing is asked for from elsewhere.
        assert!(
            !page.contains("http://")
                && !page.contains("https://")
                && !page.contains("@import")
                && !page.contains("<link")
        );
    }

    #[test]
    fn positions_have_the_digits_that_tell_them_apart() {
        let page = data(&written(&scene()).unwrap());
        assert_eq!(page["layers"][0]["marks"][0], json!([0, 0, 0, [438_000.123_5, 5_116_000]]));
        assert_eq!(page["layers"][0]["marks"][1], json!([0, 0, 1, [438_000, 5_116_000, 439_000, 5_117_000]]));
        assert_eq!(digits_of([-17e6, -8e6, 17e6, 8e6]), 0);
        assert_eq!(digits_of([-123.8, 46.2, -123.7, 46.3]), 8);
        assert_eq!(digits_of([5.0, 5.0, 5.0, 5.0]), 9);
    }

    #[test]
    fn marks_have_the_colours_of_the_key() {
        let names = (0..10).map(|i| format!("kind {i}")).collect();
        let of = vec![Some(0), Some(7), Some(8), None];
        let paint = Paint::Categories { title: "kind".into(), names, of };
        let (list, key) = colors(&paint);
        for mark in 0..4 {
            assert_eq!(list[color_place(&paint, mark)], paint.color(mark).hex(), "{mark}");
        }
        assert_eq!(key["entries"].as_array().unwrap().len(), 9, "eight, and the others");
        let ramp = Ramp { title: "depth".into(), range: [1.0, 3.0] };
        let paint = Paint::Numbers { ramp, of: vec![1.0, 3.0, 2.0, f64::NAN] };
        let places: Vec<usize> = (0..4).map(|i| color_place(&paint, i)).collect();
        assert_eq!(places, [0, 63, 32, 64]);
        assert_eq!(colors(&paint).0[64], NOTHING.hex());
    }

    #[test]
    fn very_many_marks_are_one_picture_and_the_page_says_so() {
        let mut scene = Scene::new([0.0, 0.0, 300.0, 200.0]);
        let shapes = (0..=MOST_MARKS).map(|i| Shape::Point([(i % 300) as f64, (i / 300) as f64])).collect();
        scene.layers.push(Layer::Marks(Marks::plain("echoes", shapes)));
        let page = data(&written(&scene).unwrap());
        let layer = &page["layers"][0];
        assert!(layer["picture"]["address"].as_str().unwrap().starts_with("data:image/png;base64,iVBOR"));
        assert!(layer["remark"].as_str().unwrap().starts_with("30001 marks as a picture"));
        assert!(layer.get("marks").is_none() && layer.get("cells").is_none());
    }
}
