//! The program `swage`: see the library of the same name.

fn main() -> std::process::ExitCode {
    swage::run()
}
