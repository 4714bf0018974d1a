//! What is served, as pages for people: plain documents with links and forms, without a script.

mod layers;
mod tries;

pub(crate) use layers::{collection, collections, feature, items};
pub(crate) use tries::{Tried, address, geocoded, position};

use crate::links::Base;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use quick_xml::escape::escape;
use std::fmt::Write;

const STYLE: &str = include_str!("page.css");
/// A page asks for nothing but what it says itself, frames of this place and forms to it.
const RULES: &str = "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'self'";

/// A text inside of markup, without signs that no page can hold.
pub(crate) fn escaped(text: &str) -> String {
    let plain: String = text.chars().filter(|c| !c.is_control() || matches!(c, '\n' | '\t')).collect();
    escape(plain.as_str()).into_owned()
}

/// A link.
pub(crate) fn link(address: &str, words: &str) -> String {
    format!("<a href=\"{}\">{}</a>", escaped(address), escaped(words))
}

/// A page: where it is in the whole, its heading, and markup.
pub(crate) fn page(base: &Base, trail: &[(&str, &str)], title: &str, body: &str) -> Response {
    let mut steps = format!("<li>{}</li>", link(&base.to("/?f=html"), "Basilocus"));
    for (path, words) in trail {
        let _ = write!(steps, "<li>{}</li>", link(&base.to(path), words));
    }
    let title = escaped(title);
    let text = format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"><title>{title} · Basilocus</title><style>{STYLE}</style></head>\n<body>\n<a class=\"skip\" href=\"#content\">To the content</a>\n<header><nav aria-label=\"Where this is\"><ol>{steps}</ol></nav><h1>{title}</h1></header>\n<main id=\"content\">\n{body}</main>\n<footer><p>Served by Basilocus. Layers and lists are documents for programs too, with <code>f=json</code> in their address; what is tried here, a process.</p></footer>\n</body>\n</html>\n"
    );
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8"), (header::CONTENT_SECURITY_POLICY, RULES)], text)
        .into_response()
}

/// The first page.
pub(crate) fn landing(base: &Base, has_layers: bool, has_addresses: bool) -> Response {
    let to = |path: &str, words: &str| link(&base.to(path), words);
    let mut entries = vec![("try", to("/try/position", "A position in other systems and notations"))];
    if has_addresses {
        entries.push(("try", to("/try/address", "An address")));
    }
    let layers = if has_layers { "Layers, with maps" } else { "Collections" };
    entries.push(("look", to("/collections?f=html", layers)));
    let body = String::from("<h2>For people</h2>\n")
        + &list(&entries)
        + "<h2>For programs</h2>\n"
        + &list(&[
            ("description", to("/api", "OpenAPI document")),
            ("standards", to("/conformance?f=html", "What of them is served")),
            ("processes", to("/processes", "Conversions, addresses, ways between systems, distortion, fit")),
            ("metrics", to("/metrics", "What is counted")),
        ]);
    page(base, &[], "What is served here", &body)
}

/// What of the standards is served.
pub(crate) fn conformance(base: &Base, classes: &[&str]) -> Response {
    let items: String = classes.iter().map(|c| format!("<li>{}</li>\n", escaped(c))).collect();
    page(base, &[], "What of the standards is served", &format!("<ul>\n{items}</ul>\n"))
}

/// The heights that are served: programs ask for them.
pub(crate) fn heights_alone(base: &Base) -> Response {
    let example = base.to(&format!("/collections/{}/position?coords=POINT(-123.8 46.2)", crate::heights::ID));
    let body = format!(
        "<p>They are asked for by programs, position by position, by OGC API - Environmental Data Retrieval:</p>\n<p><code>{}</code></p>\n",
        escaped(&example)
    );
    page(base, &[("/collections?f=html", "Collections")], "Heights of the ground", &body)
}

/// That heights are served.
pub(crate) fn heights(base: &Base) -> String {
    let at = format!("/collections/{}", crate::heights::ID);
    format!(
        "<h2>Heights</h2>\n<p>Heights of the ground are asked for by programs: {}.</p>\n",
        link(&base.to(&at), "their description")
    )
}

/// A list of names and what they are.
pub(crate) fn list(entries: &[(&str, String)]) -> String {
    let mut out = String::from("<dl>\n");
    for (name, markup) in entries {
        let _ = writeln!(out, "<dt>{}</dt><dd>{markup}</dd>", escaped(name));
    }
    out + "</dl>\n"
}

/// A table; its cells are markup.
pub(crate) fn table(caption: &str, heads: &[String], rows: &[Vec<String>]) -> String {
    let mut out = format!(
        "<div class=\"rows\" tabindex=\"0\" role=\"region\" aria-label=\"{}\"><table>\n<thead><tr>",
        escaped(caption)
    );
    for head in heads {
        let _ = write!(out, "<th scope=\"col\">{}</th>", escaped(head));
    }
    out.push_str("</tr></thead>\n<tbody>\n");
    for row in rows {
        let _ = writeln!(out, "<tr>{}</tr>", row.iter().map(|c| format!("<td>{c}</td>")).collect::<String>());
    }
    out + "</tbody></table></div>\n"
}

/// A form that asks by GET: names of inputs, their words, and what stands in them.
pub(crate) fn form(action: &str, inputs: &[(&str, &str, &str)], button: &str) -> String {
    let mut out = format!("<form action=\"{}\" method=\"get\">\n", escaped(action));
    for (name, words, value) in inputs {
        let _ = writeln!(
            out,
            "<label for=\"{name}\">{}</label><input id=\"{name}\" name=\"{name}\" value=\"{}\" autocomplete=\"off\">",
            escaped(words),
            escaped(value)
        );
    }
    out + &format!("<button>{}</button>\n</form>\n", escaped(button))
}

/// What is wrong, for people.
pub(crate) fn problem(words: &str) -> String {
    format!("<p class=\"problem\" role=\"alert\">{}</p>\n", escaped(words))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_never_become_markup() {
        assert_eq!(escaped("<b onclick='x'>&\"\u{1}"), "&lt;b onclick=&apos;x&apos;&gt;&amp;&quot;");
        assert!(!table("<i>", &["<i>".into()], &[vec![escaped("<i>")]]).contains("<i>"));
        assert!(!form("\"><i>", &[("a", "<i>", "\"><i>")], "<i>").contains("<i>"));
    }
}
