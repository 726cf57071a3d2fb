//! The program `cribrum`; all of it is in the library beside it, which compiles while the core still does.

fn main() -> std::process::ExitCode {
    cribrum::run()
}
