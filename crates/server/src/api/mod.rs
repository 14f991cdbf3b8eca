//! The HTTP API. Its OpenAPI document is made from the handlers.

mod address;
mod against;
mod app;
mod catalogue;
mod compose;
mod crossing;
mod curves;
mod deletion;
mod entry;
mod errors;
mod events;
mod figures;
mod guard;
mod harmonics;
mod judged;
mod look;
mod measured;
mod opinion;
mod parts;
mod resting;
mod revisions;
mod rows;
mod runs;
mod span;
mod spectrum;
mod stress;
mod supplies;
mod table;
mod traces;
mod wouldbe;

use aide::axum::ApiRouter;
use aide::axum::routing::{delete_with, get_with, post_with, put_with};
use aide::openapi::{Info, OpenApi};
pub(crate) use app::App;
use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderValue, header};
use axum::routing::get;
use errors::{ApiError, LARGEST_BODY, LARGEST_FILE};
pub(crate) use guard::Hosts;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::trace::TraceLayer;

fn routes() -> ApiRouter<App> {
    ApiRouter::new()
        .api_route("/api/part-kinds", get_with(catalogue::part_kinds, |o| o.id("partKinds")))
        .api_route(
            "/api/supplies",
            get_with(supplies::list, |o| o.id("listSupplies")).post_with(supplies::create, |o| o.id("createSupply")),
        )
        .api_route(
            "/api/supplies/{supply}",
            get_with(supplies::show, |o| o.id("showSupply"))
                .put_with(supplies::save, |o| o.id("saveSupply").response::<409, axum::Json<supplies::Conflict>>())
                .delete_with(deletion::delete_supply, |o| o.id("deleteSupply")),
        )
        .api_route("/api/supplies/{supply}/tags", put_with(supplies::tag, |o| o.id("tagSupply")))
        .api_route("/api/supplies/{supply}/drawing.svg", get_with(supplies::picture, |o| o.id("drawing")))
        .api_route("/api/supplies/{supply}/undelete", post_with(deletion::undelete_supply, |o| o.id("undeleteSupply")))
        .api_route("/api/stage-forms", get_with(compose::forms, |o| o.id("stageForms")))
        .api_route("/api/supplies/{supply}/proposal", post_with(compose::proposal, |o| o.id("propose")))
        .api_route("/api/supplies/{supply}/sizing", post_with(compose::sizing, |o| o.id("sizing")))
        .api_route(
            "/api/supplies/{supply}/edits",
            post_with(compose::edit, |o| o.id("editSupply").response::<409, axum::Json<supplies::Conflict>>()),
        )
        .api_route(
            "/api/supplies/{supply}/study-defaults",
            get_with(compose::study_defaults, |o| o.id("studyDefaults")),
        )
        .api_route(
            "/api/supplies/{supply}/operating-point",
            get_with(resting::operating_point, |o| o.id("operatingPoint")),
        )
        .api_route("/api/supplies/{supply}/stress", get_with(stress::stress, |o| o.id("stress")))
        .api_route("/api/supplies/{supply}/ready-made", get_with(compose::ready_made, |o| o.id("readyMade")))
        .api_route("/api/supplies/{supply}/revisions", get_with(revisions::list, |o| o.id("listRevisions")))
        .api_route(
            "/api/supplies/{supply}/revisions/{revision}/restore",
            post_with(revisions::restore, |o| {
                o.id("restoreRevision").response::<409, axum::Json<supplies::Conflict>>()
            }),
        )
        .api_route("/api/supplies/{supply}/would-be", post_with(wouldbe::would_be, |o| o.id("wouldBe")))
        .api_route("/api/supplies/{supply}/joining", post_with(parts::ask_joining, |o| o.id("joining")))
        .api_route("/api/supplies/{supply}/line", post_with(parts::line, |o| o.id("readLine")))
        .api_route("/api/supplies/{supply}/materials", get_with(parts::materials, |o| o.id("materials")))
        .api_route("/api/supplies/{supply}/materials.csv", get_with(parts::materials_csv, |o| o.id("materialsTable")))
        .api_route("/api/catalogue", post_with(parts::entries, |o| o.id("searchCatalogue")))
        .api_route("/api/own-parts", post_with(parts::keep, |o| o.id("keepPart")))
        .api_route("/api/own-parts/{part}", delete_with(parts::drop_own, |o| o.id("dropPart")))
        .api_route("/api/templates", get_with(parts::templates, |o| o.id("templates")))
        .api_route("/api/templates/{template}", post_with(parts::begin, |o| o.id("beginFromTemplate")))
        .api_route("/api/supplies/{supply}/entry", post_with(entry::evaluate, |o| o.id("evaluateEntry")))
        .api_route(
            "/api/supplies/{supply}/runs",
            get_with(runs::list, |o| o.id("listRuns")).post_with(runs::start, |o| o.id("startRun")),
        )
        .api_route(
            "/api/runs/{run}",
            get_with(runs::show, |o| o.id("showRun")).delete_with(deletion::delete_run, |o| o.id("deleteRun")),
        )
        .api_route("/api/runs/{run}/undelete", post_with(deletion::undelete_run, |o| o.id("undeleteRun")))
        .api_route("/api/runs/{run}/remark", post_with(deletion::remark, |o| o.id("remark")))
        .api_route("/api/runs/{run}/document", get_with(runs::document, |o| o.id("documentOfRun")))
        .api_route("/api/runs/{run}/drawing.svg", get_with(runs::picture, |o| o.id("drawingOfRun")))
        .api_route("/api/room", get_with(deletion::room, |o| o.id("showRoom")))
        .api_route("/api/room/keep-runs", put_with(deletion::keep, |o| o.id("keepRuns")))
        .api_route("/api/room/give-free", post_with(deletion::give_free, |o| o.id("giveFree")))
        .api_route("/api/runs/{run}/stop", post_with(runs::stop, |o| o.id("stopRun")))
        .api_route("/api/runs/{run}/go_on", post_with(runs::go_on, |o| o.id("goOnWithRun")))
        .merge(files())
        .api_route("/api/measures", get_with(judged::measures, |o| o.id("listMeasures")))
        .api_route("/api/runs/{run}/judged", get_with(judged::judge, |o| o.id("judgeRun")))
        .api_route("/api/runs/{run}/changes", get_with(judged::changed_since, |o| o.id("changesBetweenRuns")))
        .api_route("/api/runs/{run}/table", post_with(table::table, |o| o.id("tableOfTraces")))
        .api_route(
            "/api/runs/{run}/second-opinion",
            post_with(opinion::ask, |o| o.id("askSecondOpinion")).get_with(opinion::show, |o| o.id("secondOpinion")),
        )
        .api_route("/api/runs/{run}/curves", post_with(curves::curves, |o| o.id("curves")))
        .api_route("/api/runs/{run}/curve-span", post_with(curves::span, |o| o.id("curveSpan")))
        .api_route("/api/runs/{run}/curve-file", post_with(curves::file, |o| o.id("curveFile")))
        .api_route("/api/runs/{run}/figures", post_with(figures::of_run, |o| o.id("figuresOfRun")))
        .api_route("/api/runs/{run}/harmonics", post_with(harmonics::harmonics, |o| o.id("harmonics")))
        .api_route("/api/runs/{run}/measure", post_with(span::measure, |o| o.id("measure")))
        .api_route("/api/runs/{run}/spectrum", post_with(spectrum::spectrum, |o| o.id("spectrum")))
        .api_route("/api/runs/{run}/against", post_with(against::against, |o| o.id("against")))
        .api_route("/api/runs/{run}/crossing", post_with(crossing::crossing, |o| o.id("crossing")))
        .api_route("/api/runs/{run}/rows", post_with(rows::rows, |o| o.id("rows")))
        .api_route("/api/runs/{run}/events", get_with(events::follow, |o| o.id("followRun")))
        .api_route("/api/runs/{run}/trace", get_with(traces::window, |o| o.id("trace")))
        .api_route("/api/runs/{run}/traces", post_with(traces::windows, |o| o.id("traces")))
        .route("/api/health", get(health))
}

/// What takes files from outside, which are larger than what else is sent.
fn files() -> ApiRouter<App> {
    ApiRouter::new()
        .api_route("/api/measured/look", post_with(measured::look, |o| o.id("lookAtMeasured")))
        .api_route("/api/supplies/{supply}/measured", post_with(measured::add, |o| o.id("addMeasured")))
        .layer(DefaultBodyLimit::max(LARGEST_FILE))
}

/// The OpenAPI document.
pub(crate) fn document() -> OpenApi {
    // Shared schemas get a name and stand once.
    aide::generate::extract_schemas(true);
    let mut document = OpenApi {
        info: Info { title: "Mellow Coil".into(), version: env!("CARGO_PKG_VERSION").into(), ..Info::default() },
        ..OpenApi::default()
    };
    let _ = routes().finish_api(&mut document);
    document
}

/// The whole server: API, and the interface on every other path.
pub(crate) fn router(app: App, hosts: Hosts) -> Router {
    let mut unused = OpenApi::default();
    // Floats hardly get smaller, and plots wait for them.
    let packs_well = DefaultPredicate::new().and(NotForContentType::const_new(traces::ARROW));
    let text = serde_json::to_string(&document()).unwrap_or_default();
    let json = [(header::CONTENT_TYPE, HeaderValue::from_static("application/json"))];
    routes()
        .finish_api(&mut unused)
        .route("/api/openapi.json", get(move || async move { (json, text) }))
        .route("/api/{*rest}", axum::routing::any(missing))
        .fallback(crate::assets::serve)
        .layer(DefaultBodyLimit::max(LARGEST_BODY))
        .layer(axum::middleware::from_fn(guard::errors_as_problems))
        .layer(axum::middleware::from_fn_with_state(std::sync::Arc::new(hosts), guard::only_from_here))
        .layer(axum::middleware::from_fn(guard::headers))
        .layer(CompressionLayer::new().compress_when(packs_well))
        .layer(TraceLayer::new_for_http())
        .with_state(app)
}

async fn missing() -> ApiError {
    ApiError::not_found("there is nothing at this address of the API")
}

async fn health(axum::extract::State(app): axum::extract::State<App>) -> Result<&'static str, ApiError> {
    app.store.ping().await?;
    Ok("ok")
}
