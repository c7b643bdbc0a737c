//! Jobs that wait for each other, done on several threads: the heaviest that is ready goes first. Which thread does what changes
//! nothing about what comes of it.

use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

/// Jobs, and what each waits for.
#[derive(Debug, Default)]
pub(super) struct Schedule {
    jobs: Vec<Job>,
}

#[derive(Debug, Default)]
struct Job {
    weight: u64,
    waits_for: Vec<usize>,
}

/// How a job ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum JobResult {
    /// It is done.
    Done,
    /// It can't be done, nor can what waits for it.
    Failed,
    /// There was not enough room for it beside others; alone there may be.
    NeedsRoom,
}

struct State {
    ready: Vec<usize>,
    /// Jobs that are to be done with nothing beside them.
    alone: Vec<usize>,
    waits: Vec<usize>,
    running: usize,
    is_alone: bool,
    has_failed: Vec<bool>,
}

impl Schedule {
    /// Adds a job; gives its number.
    pub(super) fn add(&mut self, weight: u64, waits_for: Vec<usize>) -> usize {
        self.jobs.push(Job { weight, waits_for });
        self.jobs.len() - 1
    }

    /// Does all jobs on this many threads. `work` learns whether nothing else is done meanwhile; `skip` hears of jobs that are not done,
    /// and of the one that failed.
    pub(super) fn run(
        &self,
        threads: usize,
        work: impl Fn(usize, bool) -> JobResult + Sync,
        skip: impl Fn(usize, usize) + Sync,
    ) {
        let mut dependents: Vec<Vec<usize>> = vec![Vec::new(); self.jobs.len()];
        for (at, job) in self.jobs.iter().enumerate() {
            job.waits_for.iter().for_each(|&other| dependents[other].push(at));
        }
        let waits: Vec<usize> = self.jobs.iter().map(|job| job.waits_for.len()).collect();
        let ready = (0..waits.len()).filter(|&at| waits[at] == 0).collect();
        let has_failed = vec![false; waits.len()];
        let state = State { ready, alone: Vec::new(), waits, running: 0, is_alone: false, has_failed };
        let (state, changed) = (Mutex::new(state), Condvar::new());
        let lock = || -> MutexGuard<'_, State> { state.lock().unwrap_or_else(PoisonError::into_inner) };
        let next = || {
            let mut state = lock();
            loop {
                if !state.is_alone {
                    let heaviest =
                        state.ready.iter().copied().max_by_key(|&at| (self.jobs[at].weight, usize::MAX - at));
                    if let Some(job) = heaviest {
                        state.ready.retain(|&at| at != job);
                        state.running += 1;
                        return Some((job, false));
                    }
                    if state.running == 0 {
                        let job = state.alone.pop()?;
                        (state.running, state.is_alone) = (1, true);
                        return Some((job, true));
                    }
                }
                state = changed.wait(state).unwrap_or_else(PoisonError::into_inner);
            }
        };
        let finish = |job: usize, ended: JobResult| {
            let mut state = lock();
            state.running -= 1;
            state.is_alone = false;
            match ended {
                JobResult::Done => {
                    for &other in &dependents[job] {
                        state.waits[other] -= 1;
                        if state.waits[other] == 0 && !state.has_failed[other] {
                            state.ready.push(other);
                        }
                    }
                }
                JobResult::NeedsRoom => state.alone.push(job),
                JobResult::Failed => {
                    let mut all = dependents[job].clone();
                    while let Some(other) = all.pop() {
                        if !std::mem::replace(&mut state.has_failed[other], true) {
                            skip(other, job);
                            all.extend(&dependents[other]);
                        }
                    }
                }
            }
            changed.notify_all();
        };
        let worker = || {
            while let Some((job, is_alone)) = next() {
                finish(job, work(job, is_alone));
            }
        };
        std::thread::scope(|scope| {
            (1..threads.min(self.jobs.len())).for_each(|_| drop(scope.spawn(worker)));
            worker();
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn jobs_come_after_what_they_wait_for_and_the_heaviest_first() {
        let mut schedule = Schedule::default();
        let light = schedule.add(1, vec![]);
        let heavy = schedule.add(9, vec![]);
        let last = schedule.add(99, vec![light, heavy]);
        for threads in [1, 4] {
            let done = Mutex::new(Vec::new());
            let work = |job: usize, _: bool| {
                done.lock().unwrap().push(job);
                JobResult::Done
            };
            schedule.run(threads, work, |_, _| panic!("nothing fails"));
            let done = done.into_inner().unwrap();
            assert_eq!(done[2], last);
            assert!(threads > 1 || done[0] == heavy);
        }
    }

    #[test]
    fn what_waits_for_a_failed_job_is_skipped_and_all_else_is_done() {
        let mut schedule = Schedule::default();
        let bad = schedule.add(1, vec![]);
        let good = schedule.add(1, vec![]);
        let after = schedule.add(1, vec![bad, good]);
        let later = schedule.add(1, vec![after]);
        let (done, skipped) = (Mutex::new(Vec::new()), Mutex::new(Vec::new()));
        let work = |job: usize, _: bool| {
            done.lock().unwrap().push(job);
            if job == bad { JobResult::Failed } else { JobResult::Done }
        };
        schedule.run(3, work, |job, because| skipped.lock().unwrap().push((job, because)));
        done.lock().unwrap().sort_unstable();
        assert_eq!(*done.lock().unwrap(), [bad, good]);
        assert_eq!(*skipped.lock().unwrap(), [(after, bad), (later, bad)]);
    }

    #[test]
    fn what_needs_room_is_done_again_with_nothing_beside_it() {
        let mut schedule = Schedule::default();
        for _ in 0..6 {
            schedule.add(1, vec![]);
        }
        let (running, done) = (Mutex::new(0), Mutex::new(Vec::new()));
        let work = |job: usize, is_alone: bool| {
            *running.lock().unwrap() += 1;
            assert!(!is_alone || *running.lock().unwrap() == 1);
            std::thread::sleep(std::time::Duration::from_millis(2));
            *running.lock().unwrap() -= 1;
            if job < 3 && !is_alone {
                return JobResult::NeedsRoom;
            }
            done.lock().unwrap().push(job);
            JobResult::Done
        };
        schedule.run(4, work, |_, _| panic!("nothing fails"));
        done.lock().unwrap().sort_unstable();
        assert_eq!(*done.lock().unwrap(), [0, 1, 2, 3, 4, 5]);
    }
}
