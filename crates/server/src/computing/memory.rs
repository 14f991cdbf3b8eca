//! How much memory a run may take.

/// Part of the memory there is that runs may take together; the rest is for the server, the database and what they read.
const FOR_RUNS: f64 = 0.75;

/// What each of so many runs at once may take of the memory there is, bytes.
pub(crate) fn share(runs: usize) -> u64 {
    let whole = rustix::system::sysinfo();
    let present = whole.totalram.saturating_mul(u64::from(whole.mem_unit));
    // A container may have been given less.
    let given = std::fs::read_to_string("/sys/fs/cgroup/memory.max").ok().and_then(|text| text.trim().parse().ok());
    (given.unwrap_or(u64::MAX).min(present) as f64 * FOR_RUNS / runs as f64) as u64
}
