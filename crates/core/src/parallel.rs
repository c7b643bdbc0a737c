//! Work on many threads whose results come in order: the one place where threads enter.
//!
//! [`map`] is the basic form; the others are views of it. Work is handed out in blocks, through one function that is compiled
//! once, since a loop on threads of its own kind at every place costs a third of what compiling this crate takes. Nothing here
//! lets the number of threads, or which of them was first, be seen in a result.

use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use rayon::iter::{IntoParallelIterator, ParallelIterator};

/// Blocks of work a thread gets on average: enough to even out long and short ones.
const BLOCKS_A_THREAD: usize = 16;

/// Calls `work` for all numbers below `count`, on all threads.
fn run(count: usize, work: &(dyn Fn(usize) + Sync)) {
    (0..count).into_par_iter().for_each(work);
}

/// How many pieces of work are done side by side at most.
pub fn threads() -> usize {
    rayon::current_num_threads()
}

/// What `work` makes of each number below `count`, in order.
pub fn map<R: Send>(count: usize, work: impl Fn(usize) -> R + Sync) -> Vec<R> {
    let threads = rayon::current_num_threads();
    if count < 2 || threads < 2 {
        return (0..count).map(work).collect();
    }
    let blocks = count.min(threads * BLOCKS_A_THREAD);
    let done: Vec<Mutex<Vec<R>>> = (0..blocks).map(|_| Mutex::new(Vec::new())).collect();
    // No overflow: a count of things in memory times a few hundred.
    let start = |block: usize| (block as u128 * count as u128 / blocks as u128) as usize;
    run(blocks, &|block| {
        let made: Vec<R> = (start(block)..start(block + 1)).map(&work).collect();
        *done[block].lock().expect("no other thread has this block") = made;
    });
    let mut all = Vec::with_capacity(count);
    for block in done {
        all.extend(block.into_inner().expect("a panic in a block ends the run above"));
    }
    all
}

/// What `work` makes of each item, in order.
pub fn map_slice<T: Sync, R: Send>(items: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    map(items.len(), |at| work(&items[at]))
}

/// What `work` makes of each item and its number, in order, the items given away.
pub fn map_vec<T: Send, R: Send>(items: Vec<T>, work: impl Fn(usize, T) -> R + Sync) -> Vec<R> {
    let items: Vec<Mutex<Option<T>>> = items.into_iter().map(|item| Mutex::new(Some(item))).collect();
    map(items.len(), |at| {
        let item = items[at].lock().expect("each item is taken once").take();
        work(at, item.expect("each item is taken once"))
    })
}

/// All that `work` makes of the numbers below `count`, in order.
pub fn flat_map<R: Send>(count: usize, work: impl Fn(usize) -> Vec<R> + Sync) -> Vec<R> {
    map(count, work).into_iter().flatten().collect()
}

/// What `work` makes of each number, or the error of the lowest number that has one. Numbers above that are passed over.
pub fn try_map<R: Send, E: Send>(
    count: usize,
    work: impl Fn(usize) -> Result<R, E> + Sync,
) -> Result<Vec<R>, E> {
    let lowest = AtomicUsize::new(usize::MAX);
    let made = map(count, |at| {
        if at > lowest.load(Ordering::Relaxed) {
            return None;
        }
        let result = work(at);
        if result.is_err() {
            lowest.fetch_min(at, Ordering::Relaxed);
        }
        Some(result)
    });
    // What was passed over is behind the error, at which collecting ends.
    made.into_iter().flatten().collect()
}

/// Whether `test` holds for any number below `count`. Not all are asked once one is found.
pub fn any(count: usize, test: impl Fn(usize) -> bool + Sync) -> bool {
    let found = AtomicBool::new(false);
    map(count, |at| {
        if !found.load(Ordering::Relaxed) && test(at) {
            found.store(true, Ordering::Relaxed);
        }
    });
    found.into_inner()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Runs `work` on pools of one, two and seven threads.
    fn on_pools(work: impl Fn() + Sync + Send) {
        for threads in [1, 2, 7] {
            rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap().install(&work);
        }
    }

    #[test]
    fn results_come_in_order_on_any_number_of_threads() {
        on_pools(|| {
            for count in [0, 1, 2, 31, 113, 1000] {
                assert_eq!(map(count, |at| at * at), (0..count).map(|at| at * at).collect::<Vec<_>>());
                let items: Vec<String> = (0..count).map(|at| at.to_string()).collect();
                assert_eq!(map_slice(&items, String::clone), items);
                assert_eq!(map_vec(items.clone(), |at, item| format!("{at}") == item), vec![true; count]);
                assert_eq!(
                    flat_map(count, |at| vec![at; at % 3]).len(),
                    (0..count).map(|at| at % 3).sum::<usize>()
                );
            }
        });
    }

    #[test]
    fn of_several_errors_the_first_is_returned() {
        on_pools(|| {
            let odd = |at: usize| if at < 57 || at.is_multiple_of(2) { Ok(at) } else { Err(at) };
            assert_eq!(try_map(500, odd), Err(57));
            assert_eq!(try_map(57, odd).map(|all| all.len()), Ok(57));
            assert!(any(500, |at| at == 499) && !any(500, |at| at == 500));
        });
    }
}
