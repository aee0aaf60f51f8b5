//! A pipe to a program: what it reads and writes are the bytes of a line.

use std::io;
use std::pin::Pin;
use std::process::Stdio;
use std::task::{Context, Poll};

use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::process::{Child, ChildStdin, ChildStdout, Command};

use super::Carrier;

/// A program that was started, and its standard input and output. It ends with the line.
#[derive(Debug)]
pub struct ChildPipe {
    input: ChildStdin,
    output: ChildStdout,
    _child: Child,
}

impl ChildPipe {
    /// Starts a program.
    ///
    /// # Errors
    /// Passes on why it cannot be started.
    pub fn start(command: &mut Command) -> io::Result<ChildPipe> {
        let mut child = command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .kill_on_drop(true)
            .spawn()?;
        match (child.stdin.take(), child.stdout.take()) {
            (Some(input), Some(output)) => Ok(ChildPipe {
                input,
                output,
                _child: child,
            }),
            _ => Err(io::Error::other("the program has no pipes")),
        }
    }
}

impl AsyncRead for ChildPipe {
    fn poll_read(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        Pin::new(&mut self.output).poll_read(context, buffer)
    }
}

impl AsyncWrite for ChildPipe {
    fn poll_write(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.input).poll_write(context, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.input).poll_flush(context)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.input).poll_shutdown(context)
    }
}

impl Carrier for ChildPipe {}
