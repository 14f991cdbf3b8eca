//! Connections: each answered by the router, none kept waiting for a request that does not come.

use axum::Router;
use axum::body::Body;
use axum::http::Request;
use hyper::body::Incoming;
use hyper::server::conn::http1::Builder;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use std::pin::pin;
use std::time::Duration;
use tokio::net::TcpListener;
use tower::ServiceExt;

/// How long the head of a request may take to arrive.
const HEAD: Duration = Duration::from_secs(20);
/// How long to leave a listener in peace that takes no more connections.
const PAUSE: Duration = Duration::from_millis(100);

/// Answers requests until `end` comes, and then those that have begun.
pub(crate) async fn serve(listener: TcpListener, router: Router, end: impl Future<Output = ()>) {
    let mut builder = Builder::new();
    builder.timer(TokioTimer::new()).header_read_timeout(HEAD);
    let graceful = GracefulShutdown::new();
    let mut end = pin!(end);
    loop {
        let stream = tokio::select! {
            accepted = listener.accept() => match accepted {
                Ok((stream, _)) => stream,
                Err(error) => {
                    // Too many open files, say: those there are will end.
                    tracing::warn!("no connection taken: {error}");
                    tokio::time::sleep(PAUSE).await;
                    continue;
                }
            },
            () = &mut end => break,
        };
        // An answer in several pieces must not wait for the first to be acknowledged.
        let _ = stream.set_nodelay(true);
        let service = router.clone().map_request(|request: Request<Incoming>| request.map(Body::new));
        let connection = builder.serve_connection(TokioIo::new(stream), TowerToHyperService::new(service));
        let connection = graceful.watch(connection);
        tokio::spawn(async move {
            if let Err(error) = connection.await {
                tracing::debug!("a connection ended: {error}");
            }
        });
    }
    graceful.shutdown().await;
}
