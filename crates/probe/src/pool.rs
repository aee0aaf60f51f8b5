//! A few threads for reads that may take long: tables of the system, files of its
//! configuration. None of them runs on the thread of the lines; so many run at one time and
//! no more, and what nobody waits for any longer is not begun.

use std::io;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;

use tokio::sync::oneshot;

/// Reads that run at one time.
const MOST: usize = 4;

type Job = Box<dyn FnOnce() + Send>;

/// The threads of a run. They end with it.
#[derive(Default)]
pub(crate) struct Pool(Mutex<Option<Started>>);

struct Started {
    jobs: Sender<Job>,
    received: Arc<Mutex<Receiver<Job>>>,
    threads: usize,
}

impl Pool {
    /// Does it on one of the threads. None where nobody came to it.
    ///
    /// # Errors
    /// When this machine gives no thread for it.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> io::Result<Option<T>> {
        let (answer, wait) = oneshot::channel();
        self.hand_in(Box::new(move || {
            if !answer.is_closed() {
                let _ = answer.send(work());
            }
        }))?;
        Ok(wait.await.ok())
    }

    fn hand_in(&self, job: Job) -> io::Result<()> {
        let mut place = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let started = place.get_or_insert_with(Started::none);
        if started.threads < MOST {
            match started.one_more() {
                Ok(()) => {}
                Err(error) if started.threads == 0 => return Err(error),
                // Those that are there do it.
                Err(_) => {}
            }
        }
        let gone = |_| io::Error::other("no thread takes it");
        started.jobs.send(job).map_err(gone)
    }
}

impl Started {
    fn none() -> Started {
        let (jobs, received) = channel();
        Started {
            jobs,
            received: Arc::new(Mutex::new(received)),
            threads: 0,
        }
    }

    fn one_more(&mut self) -> io::Result<()> {
        let received = self.received.clone();
        thread::Builder::new()
            .name("look".to_owned())
            .spawn(move || work(&received))?;
        self.threads += 1;
        Ok(())
    }
}

/// Takes what is handed in until nobody hands in any more.
fn work(received: &Mutex<Receiver<Job>>) {
    loop {
        let next = received
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .recv();
        match next {
            Ok(job) => job(),
            Err(_) => return,
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::sync::{Arc, Barrier};

    use super::{MOST, Pool};

    #[tokio::test]
    async fn no_more_than_so_many_run_at_one_time() {
        let pool = Pool::default();
        let (now, most) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)));
        // All threads must be at work before any of the first jobs ends.
        let together = Arc::new(Barrier::new(MOST));
        let jobs = (0..MOST * 3).map(|_| {
            let (now, most, together) = (now.clone(), most.clone(), together.clone());
            pool.run(move || {
                let running = now.fetch_add(1, Ordering::SeqCst) + 1;
                most.fetch_max(running, Ordering::SeqCst);
                together.wait();
                now.fetch_sub(1, Ordering::SeqCst);
            })
        });
        let mut waiting: Vec<_> = jobs.map(Box::pin).collect();
        // Handed in all at once: each is polled before any is waited for.
        for job in &mut waiting {
            let _ = futures_poll(job).await;
        }
        for job in waiting {
            let _ = job.await;
        }
        assert_eq!(most.load(Ordering::SeqCst), MOST);
    }

    /// Polls once.
    async fn futures_poll<F: Future + Unpin>(job: &mut F) -> Option<F::Output> {
        std::future::poll_fn(|context| {
            let done = std::pin::Pin::new(&mut *job).poll(context);
            std::task::Poll::Ready(match done {
                std::task::Poll::Ready(done) => Some(done),
                std::task::Poll::Pending => None,
            })
        })
        .await
    }
}
