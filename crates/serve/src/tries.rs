//! What is typed into the forms for people.

use crate::geocoder::AddressQuery;
use crate::html::{self, Tried};
use crate::links::Base;
use crate::parameters::Parameters;
use crate::problem::Problem;
use crate::processes::inputs::system;
use crate::server::App;
use axum::extract::State;
use axum::response::Response;
use basilocus::lookup::{SpotQuestion, SpotReport};
use std::sync::Arc;

/// That a page is asked for: programs have a process for the same.
fn page_alone(parameters: &mut Parameters, process: &str) -> Result<(), Problem> {
    match parameters.take("f").as_deref() {
        None | Some("html") => Ok(()),
        Some(other) => {
            let words = format!("\"{other}\": this is a page for people; for programs there is /processes/{process}");
            Err(Problem::of_field("f", words))
        }
    }
}

/// `GET /try/position`
pub(crate) async fn position(base: Base, mut parameters: Parameters) -> Result<Response, Problem> {
    let mut value = |name: &str| parameters.take(name).unwrap_or_default();
    let tried = Tried { position: value("position"), from: value("from"), to: value("to") };
    page_alone(&mut parameters, "convert")?;
    parameters.end("position, from and to are")?;
    let found = (!tried.position.trim().is_empty()).then(|| converted(&tried));
    Ok(html::position(&base, &tried, found))
}

fn converted(tried: &Tried) -> Result<SpotReport, String> {
    // Systems of the catalogue: files are never looked at.
    let code = |name: &str, text: &str| system(name, text).map(|c| c.identifier()).map_err(|p| p.detail);
    let said = |text: &str| !text.trim().is_empty();
    let from = if said(&tried.from) { Some(code("from", tried.from.trim())?) } else { None };
    let to = if said(&tried.to) { vec![code("to", tried.to.trim())?] } else { Vec::new() };
    let question = SpotQuestion { coordinate: tried.position.clone(), from, to, ..Default::default() };
    question.report().map_err(|e| e.to_string())
}

/// `GET /try/address`
pub(crate) async fn address(
    State(app): State<Arc<App>>,
    base: Base,
    mut parameters: Parameters,
) -> Result<Response, Problem> {
    let typed = parameters.take("address").unwrap_or_default();
    page_alone(&mut parameters, "geocode")?;
    parameters.end("address is")?;
    if typed.trim().is_empty() {
        return Ok(html::address(&base, &typed, ""));
    }
    let at = app.clone();
    at.work(move || {
        let geocoder = app.geocoder()?;
        let found = geocoder.find(&AddressQuery { address: typed.clone(), ..Default::default() });
        Ok(html::geocoded(&base, &typed, &found))
    })
    .await?
}
