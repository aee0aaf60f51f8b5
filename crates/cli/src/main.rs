//! The program: all of it is in the library beside this.

fn main() -> std::process::ExitCode {
    chronaxis::main()
}
