//! Encoding many pictures: on all threads, as many at a time as there is memory for.

use shibori_core::{Budget, Size, parallel};

use crate::{FileError, WriteProblem};

/// Bytes a pixel may take while it is painted and encoded: the picture, its filtered rows, and what they are compressed to.
const BYTES_PER_PIXEL: u64 = 12;

/// Encodes pictures of these sizes, each by its place. Which go together depends on memory alone, and what they become on nothing.
///
/// # Errors
/// If one alone is larger than what is left of the memory, or can't be encoded.
pub(super) fn encode_all<R: Send>(
    sizes: &[Size],
    memory: &Budget,
    error_for: impl Fn(usize, WriteProblem) -> FileError,
    encode: impl Fn(usize) -> Result<R, FileError> + Sync,
) -> Result<Vec<R>, FileError> {
    let mut all = Vec::with_capacity(sizes.len());
    let needs = |at: usize| sizes[at].area().saturating_mul(BYTES_PER_PIXEL);
    while all.len() < sizes.len() {
        let (first, left) = (all.len(), memory.available());
        let mut together = needs(first);
        let mut end = first + 1;
        while end < sizes.len() && together.saturating_add(needs(end)) <= left {
            together += needs(end);
            end += 1;
        }
        let _lease = memory.lease(together).map_err(|over| error_for(first, over.into()))?;
        all.extend(parallel::try_map(end - first, |number| encode(first + number))?);
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use std::path::Path;
    use std::sync::atomic::{AtomicUsize, Ordering};

    use super::*;

    #[test]
    fn no_more_pictures_are_encoded_together_than_there_is_memory_for() {
        let sizes = [10, 10, 10, 30, 1, 1].map(|side| Size::new(side, 10));
        let memory = Budget::with_limit(300 * BYTES_PER_PIXEL);
        let (now, most) = (AtomicUsize::new(0), AtomicUsize::new(0));
        let encode = |at: usize| {
            let pixels = sizes[at].area() as usize;
            most.fetch_max(now.fetch_add(pixels, Ordering::SeqCst) + pixels, Ordering::SeqCst);
            std::thread::yield_now();
            now.fetch_sub(pixels, Ordering::SeqCst);
            Ok(at)
        };
        let fault = |at: usize, problem| FileError::write(Path::new(&at.to_string()), problem);
        assert_eq!(encode_all(&sizes, &memory, fault, encode).unwrap(), [0, 1, 2, 3, 4, 5]);
        assert!(most.into_inner() <= 300);
        assert_eq!(memory.available(), 300 * BYTES_PER_PIXEL);
        let error =
            encode_all(&sizes, &Budget::with_limit(299 * BYTES_PER_PIXEL), fault, |_| Ok(())).unwrap_err();
        assert!(
            matches!(error, FileError::Write { path, problem: WriteProblem::Memory(_) } if path == Path::new("3"))
        );
    }
}
