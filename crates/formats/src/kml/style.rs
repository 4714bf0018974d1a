//! Shared styles: one for each pair of a colour and an icon that is met, and the legend that says what they mean.

use crate::presentation::{Presentation, Rule, color, color_of_index};
use crate::xml::push_escaped;
use std::path::{Path, PathBuf};

/// Rows of a legend; more are counted.
const MOST_IN_LEGEND: usize = 60;

/// The styles of a layer.
pub(super) struct Styles {
    layer: String,
    /// What was met, in order: the value of the colour, and the icon.
    met: Vec<(Option<String>, Option<String>)>,
    /// Values that are no colours of their own, in the order in which they get one.
    values: Vec<String>,
    /// Whether icons that are files go into an archive.
    packs: bool,
}

/// Whether a file is a picture by its ending.
fn is_picture(path: &Path) -> bool {
    const ENDINGS: [&str; 7] = ["png", "jpg", "jpeg", "gif", "svg", "bmp", "webp"];
    path.extension().is_some_and(|e| ENDINGS.iter().any(|ending| e.eq_ignore_ascii_case(ending)))
}

impl Styles {
    pub fn new(layer: &str, packs: bool) -> Self {
        Styles { layer: layer.to_string(), met: Vec::new(), values: Vec::new(), packs }
    }

    /// The name of the style of a row.
    pub fn id(&mut self, value: Option<String>, icon: Option<String>) -> String {
        let pair = (value, icon);
        let at = self.met.iter().position(|m| *m == pair).unwrap_or_else(|| {
            if let Some(value) = pair.0.as_ref().filter(|v| color(v).is_none() && !self.values.contains(v)) {
                self.values.push(value.clone());
                // Whatever order threads meet them in, a value has the same colour in every run.
                self.values.sort();
            }
            self.met.push(pair.clone());
            self.met.len() - 1
        });
        format!("{}-{}", self.layer, at + 1)
    }

    fn rgb(&self, value: &str) -> [u8; 3] {
        color(value).unwrap_or_else(|| color_of_index(self.values.iter().position(|v| v == value).unwrap_or(0)))
    }

    /// The icons that are pictures in files, with their names in the archive. What a cell names beside pictures is packed by
    /// nobody.
    pub fn packed(&self) -> Vec<(String, PathBuf)> {
        let mut out: Vec<(String, PathBuf)> = Vec::new();
        for icon in self.met.iter().filter_map(|(_, i)| i.as_ref()).filter(|_| self.packs) {
            let path = PathBuf::from(icon);
            if !is_picture(&path) || !path.is_file() || out.iter().any(|(_, p)| *p == path) {
                continue;
            }
            let file = path.file_name().map_or("icon".into(), |n| n.to_string_lossy());
            let taken = |name: &str| out.iter().any(|(n, _)| n == name);
            // Pictures of one name in two folders are two.
            let names = std::iter::once(format!("icons/{file}")).chain((2..).map(|n| format!("icons/{n}-{file}")));
            let name = names.into_iter().find(|name| !taken(name)).unwrap_or_default();
            out.push((name, path));
        }
        out
    }

    /// Icons that are neither addresses nor pictures that are there.
    pub fn missing(&self) -> Vec<&str> {
        let icons = self.met.iter().filter_map(|(_, icon)| icon.as_deref());
        let mut missing: Vec<&str> = icons
            .filter(|icon| !(icon.contains("://") || is_picture(Path::new(icon)) && Path::new(icon).is_file()))
            .collect();
        missing.sort_unstable();
        missing.dedup();
        missing
    }

    fn href(&self, icon: &str) -> String {
        let packed = self.packed().into_iter().find(|(_, path)| path == Path::new(icon));
        packed.map_or(icon.to_string(), |(name, _)| name)
    }

    /// The legend and the styles, as they stand in the document.
    pub fn push(&self, columns: &[String], show: &Presentation, out: &mut String) {
        self.push_legend(columns, show, out);
        for (i, (value, icon)) in self.met.iter().enumerate() {
            out.push_str(&format!("<Style id=\"{}-{}\">", self.layer, i + 1));
            // Blue stands before red, behind how opaque it is.
            let code = |opaque: &str| {
                value.as_ref().map(|v| self.rgb(v)).map(|[r, g, b]| format!("{opaque}{b:02x}{g:02x}{r:02x}"))
            };
            out.push_str("<IconStyle>");
            if let Some(code) = code("ff") {
                out.push_str(&format!("<color>{code}</color>"));
            }
            if let Some(icon) = icon {
                out.push_str("<Icon><href>");
                push_escaped(out, &self.href(icon));
                out.push_str("</href></Icon>");
            }
            out.push_str("</IconStyle>");
            if let (Some(line), Some(area)) = (code("ff"), code("66")) {
                out.push_str(&format!("<LineStyle><color>{line}</color><width>2</width></LineStyle><PolyStyle><color>{area}</color></PolyStyle>"));
            }
            out.push_str("</Style>\n");
        }
    }

    /// What colours and icons mean, in the balloon of the document.
    fn push_legend(&self, columns: &[String], show: &Presentation, out: &mut String) {
        let name = |rule: &Option<Rule>| rule.as_ref().and_then(|r| r.column).and_then(|c| columns.get(c)).cloned();
        let (by_color, by_icon) = (name(&show.color), name(&show.icon));
        if by_color.is_none() && by_icon.is_none() {
            return;
        }
        let mut html = String::from("<table>");
        let mut rows = 0;
        let mut row = |sign: String, text: &str| {
            rows += 1;
            if rows <= MOST_IN_LEGEND {
                let mut safe = String::new();
                push_escaped(&mut safe, text);
                html.push_str(&format!("<tr><td>{sign}</td><td>{safe}</td></tr>"));
            }
        };
        let patch = |[r, g, b]: [u8; 3]| {
            format!("<span style=\"background:#{r:02x}{g:02x}{b:02x}\">&#160;&#160;&#160;&#160;</span>")
        };
        let picture = |icon: &str| {
            let mut safe = String::new();
            push_escaped(&mut safe, &self.href(icon));
            format!("<img src=\"{safe}\" width=\"24\"/>")
        };
        if let (Some(column), Some(rule)) = (by_color, &show.color) {
            row("<b>colour</b>".into(), &column);
            if rule.values.is_empty() {
                let mut values: Vec<&String> = self.met.iter().filter_map(|(v, _)| v.as_ref()).collect();
                values.sort();
                values.dedup();
                values.iter().for_each(|v| row(patch(self.rgb(v)), v));
            }
            rule.values.iter().for_each(|(v, to)| row(patch(self.rgb(to)), v));
            if let Some(to) = &rule.other {
                row(patch(self.rgb(to)), "all else");
            }
        }
        if let (Some(column), Some(rule)) = (by_icon, &show.icon) {
            row("<b>icon</b>".into(), &column);
            rule.values.iter().for_each(|(v, to)| row(picture(to), v));
            if let Some(to) = &rule.other {
                row(picture(to), "all else");
            }
        }
        if rows > MOST_IN_LEGEND {
            html.push_str(&format!("<tr><td></td><td>and {} more</td></tr>", rows - MOST_IN_LEGEND));
        }
        html.push_str("</table>");
        out.push_str("<description>");
        push_escaped(out, &html);
        out.push_str("</description>\n");
    }
}
