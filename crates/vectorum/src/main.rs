//! The program's entry; everything else is in the library beside it.

fn main() -> std::process::ExitCode {
    vectorum::main()
}
