//! What several threads share.

use std::sync::{Mutex, MutexGuard, PoisonError};

/// Locks. What a thread left behind that panicked is taken as it is: nothing here is changed in more than one step.
pub(crate) fn lock<T>(shared: &Mutex<T>) -> MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}
