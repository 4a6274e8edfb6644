//! Whether standard output was closed when the program began: the runtime of the language puts a device in its place that takes
//! everything and keeps nothing, so it is looked at before that.

use std::sync::atomic::{AtomicBool, Ordering};

static CLOSED: AtomicBool = AtomicBool::new(false);

#[ctor::ctor(unsafe)]
fn look() {
    CLOSED.store(rustix::io::fcntl_getfd(rustix::stdio::stdout()).is_err(), Ordering::Relaxed);
}

/// Whether what is printed would be lost.
pub fn is_closed() -> bool {
    CLOSED.load(Ordering::Relaxed)
}
