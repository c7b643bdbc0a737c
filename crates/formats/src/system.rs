//! What this machine has: its memory, or the part of it that a run is allowed to use. Never more than a reading.

use shibori_core::ByteSize;
use sysinfo::{MemoryRefreshKind, RefreshKind, System};

/// What is assumed where the system tells nothing.
const UNKNOWN: u64 = 4_000_000_000;

/// Memory that this process may use: the machine's, or less where a container or the shell's limit allows less.
pub fn available_memory() -> ByteSize {
    let system = System::new_with_specifics(
        RefreshKind::nothing().with_memory(MemoryRefreshKind::nothing().with_ram()),
    );
    let whole = Some(system.total_memory()).filter(|bytes| *bytes > 0).unwrap_or(UNKNOWN);
    let container = system.cgroup_limits().map(|limits| limits.total_memory).filter(|bytes| *bytes > 0);
    let least = [container, address_space()].into_iter().flatten().fold(whole, u64::min);
    ByteSize(least)
}

/// The limit that a shell sets with `ulimit -v`, where there is one and the system tells it as a text.
fn address_space() -> Option<u64> {
    let limits = std::fs::read_to_string("/proc/self/limits").ok()?;
    let line = limits.lines().find_map(|line| line.strip_prefix("Max address space"))?;
    line.split_whitespace().next()?.parse().ok()
}

/// The most memory that this process has had at one time, where the system says it as a text.
pub fn peak_memory() -> Option<ByteSize> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?;
    let kibibytes: u64 = line.split_whitespace().next()?.parse().ok()?;
    Some(ByteSize(kibibytes * 1024))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_machine_has_memory() {
        let ByteSize(bytes) = available_memory();
        assert!((100_000_000..1 << 50).contains(&bytes), "{bytes}");
    }
}
