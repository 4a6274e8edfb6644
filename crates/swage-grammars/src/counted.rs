//! How much memory parsers ask for, piece by piece: the one measure of their work that is the same on every machine and that
//! they can't go around. A parser that recovers from an error may try all that is open in one of its steps, so that steps say
//! little about a hostile file.

use std::cell::Cell;
use std::ffi::c_void;

use tree_sitter::{Allocator, set_allocator};

unsafe extern "C" {
    fn malloc(size: usize) -> *mut c_void;
    fn calloc(count: usize, size: usize) -> *mut c_void;
    fn realloc(old: *mut c_void, size: usize) -> *mut c_void;
    fn free(old: *mut c_void);
}

thread_local! {
    /// How often memory was asked for in this thread.
    static ALLOCATIONS: Cell<u64> = const { Cell::new(0) };
}

/// How often parsers have asked for memory in this thread so far.
pub fn allocations() -> u64 {
    ALLOCATIONS.get()
}

/// Counts a piece of memory, which parsers rely on to be there.
fn count(memory: *mut c_void, size: usize) -> *mut c_void {
    if memory.is_null() && size > 0 {
        std::process::abort();
    }
    ALLOCATIONS.set(ALLOCATIONS.get() + 1);
    memory
}

unsafe extern "C" fn counted_malloc(size: usize) -> *mut c_void {
    // SAFETY: it may be called with any size.
    count(unsafe { malloc(size) }, size)
}

unsafe extern "C" fn counted_calloc(number: usize, size: usize) -> *mut c_void {
    // SAFETY: it may be called with any sizes.
    count(unsafe { calloc(number, size) }, number.saturating_mul(size))
}

unsafe extern "C" fn counted_realloc(old: *mut c_void, size: usize) -> *mut c_void {
    // SAFETY: parsers hand over what one of these three gave them.
    count(unsafe { realloc(old, size) }, size)
}

/// Has parsers ask here, before any of them is made: later, other threads might be asking.
#[ctor::ctor(unsafe)]
fn count_allocations() {
    let allocator = Allocator { malloc: counted_malloc, calloc: counted_calloc, realloc: counted_realloc, free };
    // SAFETY: the four are of the same allocator, none gives nothing, and there is one thread and no parser yet.
    unsafe { set_allocator(Some(allocator)) };
}
