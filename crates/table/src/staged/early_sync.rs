//! Lets the disk work while rows are still being laid out, so that little is left to sync at the end.

use std::fs::File;
use std::sync::mpsc::{Receiver, SyncSender, TrySendError, sync_channel};
use std::thread::JoinHandle;

/// How much of a file is written before the disk is asked to take it.
pub const BYTES_BETWEEN: u64 = 8 << 20;

/// A thread that syncs files while they grow. What it misses, or cannot do, is left to the sync at the end.
#[derive(Debug)]
pub struct EarlySync {
    files: Option<SyncSender<File>>,
    thread: Option<JoinHandle<()>>,
}

impl EarlySync {
    /// Begins.
    pub fn new() -> EarlySync {
        let (files, wanted): (SyncSender<File>, Receiver<File>) = sync_channel(8);
        let work = move || wanted.into_iter().for_each(|file| drop(file.sync_data()));
        let thread = std::thread::Builder::new().name("early sync".to_owned()).spawn(work).ok();
        EarlySync { files: thread.is_some().then_some(files), thread }
    }

    /// Asks for a file to be synced, if there is time.
    pub fn ask(&self, file: &File) {
        if let (Some(files), Ok(file)) = (&self.files, file.try_clone()) {
            match files.try_send(file) {
                Ok(()) | Err(TrySendError::Full(_) | TrySendError::Disconnected(_)) => {}
            }
        }
    }
}

impl Default for EarlySync {
    fn default() -> Self {
        EarlySync::new()
    }
}

impl Drop for EarlySync {
    /// Ends after what was asked for, so that no file outlives its run.
    fn drop(&mut self) {
        self.files = None;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}
