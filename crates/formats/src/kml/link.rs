//! A small file that loads another one again and again: what a globe opens to see a feed as it is.

use quick_xml::escape::escape;

/// The document: a network link to a file or an address that is loaded anew after so many seconds.
///
/// ```
/// let link = basilocus_formats::kml::network_link("Gauges", "gauges.kml", 300);
/// assert!(link.contains("<href>gauges.kml</href>") && link.contains("<refreshInterval>300</refreshInterval>"));
/// ```
pub fn network_link(name: &str, href: &str, seconds: u64) -> String {
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml xmlns=\"http://www.opengis.net/kml/2.2\">\n<NetworkLink>\n<name>{}</name>\n<Link>\n<href>{}</href>\n<refreshMode>onInterval</refreshMode>\n<refreshInterval>{seconds}</refreshInterval>\n</Link>\n</NetworkLink>\n</kml>\n",
        escape(name),
        escape(href)
    )
}
