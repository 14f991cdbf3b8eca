//! A net between browser and server that is slow, and loses requests that change something and the answers to them.

use anyhow::Result;
use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// The net; it goes on until the test ends.
#[derive(Clone, Debug)]
pub struct BadNet {
    state: Arc<State>,
    /// Where the browser finds it.
    pub port: u16,
}

#[derive(Debug)]
struct State {
    server: u16,
    seed: AtomicU64,
    /// Nothing passes at all.
    cut: AtomicBool,
    faulty: AtomicBool,
}

/// What becomes of a request that changes something.
enum Fate {
    Passes(Duration),
    RequestLost,
    AnswerLost,
}

impl State {
    fn fate(&self) -> Fate {
        if !self.faulty.load(Ordering::Relaxed) {
            return Fate::Passes(Duration::ZERO);
        }
        let mut rng = fastrand::Rng::with_seed(self.seed.fetch_add(1, Ordering::Relaxed));
        match rng.u32(..10) {
            0 | 1 => Fate::RequestLost,
            2 | 3 => Fate::AnswerLost,
            _ => Fate::Passes(Duration::from_millis(rng.u64(..300))),
        }
    }
}

impl BadNet {
    /// Begins to pass on what is meant for a server on loopback.
    ///
    /// # Errors
    /// If there is no free port.
    pub async fn before(server: u16, seed: u64) -> Result<Self> {
        let listener = TcpListener::bind("127.0.0.1:0").await?;
        let port = listener.local_addr()?.port();
        let [cut, faulty] = [false, true].map(AtomicBool::new);
        let state = Arc::new(State { server, seed: AtomicU64::new(seed), cut, faulty });
        let net = BadNet { state: Arc::clone(&state), port };
        tokio::spawn(async move {
            while let Ok((browser, _)) = listener.accept().await {
                tokio::spawn(pass(browser, Arc::clone(&state)));
            }
        });
        Ok(net)
    }

    /// Lets nothing through, or again.
    pub fn cut(&self, cut: bool) {
        self.state.cut.store(cut, Ordering::Relaxed);
    }

    /// Loses nothing any more.
    pub fn heal(&self) {
        self.state.faulty.store(false, Ordering::Relaxed);
    }
}

/// One connection: requests and answers in turns, as browsers use them.
async fn pass(mut browser: TcpStream, state: Arc<State>) -> Option<()> {
    let address = SocketAddr::from(([127, 0, 0, 1], state.server));
    let mut server = TcpStream::connect(address).await.ok()?;
    let (mut asked, mut answered) = (vec![0; 1 << 16], vec![0; 1 << 16]);
    let mut fate = Fate::Passes(Duration::ZERO);
    loop {
        tokio::select! {
            count = browser.read(&mut asked) => {
                let bytes = &asked[..count.ok().filter(|count| *count > 0)?];
                if state.cut.load(Ordering::Relaxed) {
                    return None;
                }
                if bytes.starts_with(b"PUT ") || bytes.starts_with(b"POST ") {
                    fate = state.fate();
                } else if bytes.starts_with(b"GET ") {
                    fate = Fate::Passes(Duration::ZERO);
                }
                if matches!(fate, Fate::RequestLost) {
                    return None;
                }
                server.write_all(bytes).await.ok()?;
            }
            count = server.read(&mut answered) => {
                let bytes = &answered[..count.ok().filter(|count| *count > 0)?];
                match fate {
                    _ if state.cut.load(Ordering::Relaxed) => return None,
                    Fate::AnswerLost | Fate::RequestLost => return None,
                    Fate::Passes(late) => tokio::time::sleep(late).await,
                }
                browser.write_all(bytes).await.ok()?;
            }
        }
    }
}
