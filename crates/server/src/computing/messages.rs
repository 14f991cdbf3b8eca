//! What a worker and the process that computes for it tell each other: each message as its length, then itself.

use recording::Chunk;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::io::{self, Read, Write};
use tokio::io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt};
use traces::Packed;

/// What is to be computed.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Task {
    /// The supply as the study runs it, JSON.
    pub(super) document: String,
    pub(super) study: String,
    /// What an earlier run left to go on with.
    pub(super) kept: Option<Vec<u8>>,
    /// Least duration of a run of the longest study, s, for trying out progress and stopping.
    pub(super) slow_down: Option<f64>,
    /// Memory it may take, bytes.
    pub(super) memory: u64,
}

/// From the worker.
#[derive(Debug, Serialize, Deserialize)]
pub(super) enum Asked {
    /// The first thing asked.
    Compute(Task),
    /// The next piece of the recording gone on from.
    Before { times: Vec<f64>, columns: Vec<Vec<f64>>, again: u64 },
    /// That recording is complete.
    Begin,
    /// To stop where it stands.
    Stop,
}

impl From<Chunk> for Asked {
    fn from(Chunk { times, columns, again }: Chunk) -> Self {
        Asked::Before { times, columns, again }
    }
}

/// To the worker.
#[derive(Debug, Serialize, Deserialize)]
pub(super) enum Told {
    /// It has read what is to be computed; whether the recording gone on from is wanted.
    Begun { wants: bool },
    /// Simulated time reached, s.
    Reached(f64),
    /// The wish to stop is heard; what was recorded is being judged.
    Stopping,
    /// What is recorded, packed, and the nodes so far.
    Rows(Vec<Packed>, i64),
    /// The last of it.
    Ended { last: Vec<Packed>, nodes: i64, ran: Result<Ended, String> },
    /// It could not begin.
    Refused(String),
}

/// How a run ended.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Ended {
    /// JSON.
    pub(super) outcome: String,
    /// Whether it was stopped, or why it could not go on.
    pub(super) stopped: bool,
    pub(super) message: Option<String>,
    pub(super) engine_version: String,
    /// Simulated time reached, s, and what it takes to go on from there.
    pub(super) kept: Option<(f64, Vec<u8>)>,
}

fn invalid(error: postcard::Error) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, error)
}

fn packed(message: &impl Serialize) -> io::Result<Vec<u8>> {
    let mut bytes = vec![0; size_of::<u32>()];
    bytes = postcard::to_extend(message, bytes).map_err(invalid)?;
    let length = u32::try_from(bytes.len() - size_of::<u32>()).map_err(io::Error::other)?;
    bytes[..size_of::<u32>()].copy_from_slice(&length.to_le_bytes());
    Ok(bytes)
}

/// Writes a message.
pub(super) fn write(to: &mut impl Write, message: &impl Serialize) -> io::Result<()> {
    to.write_all(&packed(message)?)?;
    to.flush()
}

/// Reads the next message; an error if the other side is gone.
pub(super) fn read<T: DeserializeOwned>(from: &mut impl Read) -> io::Result<T> {
    let mut length = [0; size_of::<u32>()];
    from.read_exact(&mut length)?;
    let mut bytes = vec![0; u32::from_le_bytes(length) as usize];
    from.read_exact(&mut bytes)?;
    postcard::from_bytes(&bytes).map_err(invalid)
}

/// Writes a message.
pub(super) async fn send(to: &mut (impl AsyncWrite + Unpin), message: &impl Serialize) -> io::Result<()> {
    to.write_all(&packed(message)?).await?;
    to.flush().await
}

/// Reads the next message; an error if the other side is gone.
pub(super) async fn receive<T: DeserializeOwned>(from: &mut (impl AsyncRead + Unpin)) -> io::Result<T> {
    let mut bytes = vec![0; from.read_u32_le().await? as usize];
    from.read_exact(&mut bytes).await?;
    postcard::from_bytes(&bytes).map_err(invalid)
}
