//! The program in a pseudo-terminal.

use portable_pty::{CommandBuilder, PtyPair, PtySize, native_pty_system};

use crate::common::Sandbox;

/// A terminal of so many rows and columns, and the call to be made in it.
pub fn in_terminal(s: &Sandbox, args: &[&str], (rows, cols): (u16, u16)) -> (PtyPair, CommandBuilder) {
    let pair = native_pty_system().openpty(PtySize { rows, cols, ..PtySize::default() }).expect("a terminal");
    let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_swage"));
    command.args(args);
    command.cwd(&s.root);
    command.env_clear();
    for (name, value) in s.environment() {
        command.env(name, value);
    }
    (pair, command)
}
