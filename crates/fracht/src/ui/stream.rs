//! Standard output and standard error: every byte is written, or the exit code shows that it was not.
//!
//! If a stream would block, the program waits. A stream that is closed when the program starts cannot be written.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::os::fd::AsFd;
use std::sync::atomic::{AtomicBool, Ordering};

use anstream::stream::RawStream;
use anstream::{AutoStream, ColorChoice};
use rustix::event::{PollFd, PollFlags, poll};
use rustix::io::Errno;

use super::style::{for_terminal, plain};

/// A stream for text with styles.
pub(crate) struct Stream {
    /// `None` for a closed stream.
    out: Option<BufWriter<Patient>>,
    color: bool,
}

impl Stream {
    pub(crate) fn stdout(choice: ColorChoice) -> Self {
        let out = io::stdout();
        let closed = CLOSED_AT_START.load(Ordering::Relaxed);
        Self::of(&out, choice).filter(|_| !closed).unwrap_or(Self { out: None, color: false })
    }

    pub(crate) fn stderr(choice: ColorChoice) -> Self {
        Self::of(&io::stderr(), choice).unwrap_or(Self { out: None, color: false })
    }

    fn of(stream: &(impl RawStream + AsFd), choice: ColorChoice) -> Option<Self> {
        let file = File::from(stream.as_fd().try_clone_to_owned().ok()?);
        let choice = match choice {
            ColorChoice::Auto => AutoStream::choice(stream),
            choice => choice,
        };
        let color = choice != ColorChoice::Never;
        Some(Self { out: Some(BufWriter::with_capacity(1 << 16, Patient(file))), color })
    }

    /// Whether it shows colors.
    pub(crate) fn has_color(&self) -> bool {
        self.color
    }

    /// Writes a text in which marks stand for styles.
    pub(crate) fn text(&mut self, text: &str) -> io::Result<()> {
        let text = if self.color { for_terminal(text) } else { plain(text) };
        self.write_all(text.as_bytes())
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match &mut self.out {
            Some(out) => out.write(bytes),
            None => Err(Errno::BADF.into()),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.as_mut().map_or(Ok(()), Write::flush)
    }
}

/// A file that waits instead of failing when it would block.
struct Patient(File);

impl Write for Patient {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        loop {
            match self.0.write(bytes) {
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                    match poll(&mut [PollFd::new(&self.0, PollFlags::OUT)], None) {
                        Err(error) if error != Errno::INTR => return Err(error.into()),
                        _ => {}
                    }
                }
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                done => return done,
            }
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Whether standard output was closed when the program started.
static CLOSED_AT_START: AtomicBool = AtomicBool::new(false);

/// Before `main`, the standard library replaces a closed stream by `/dev/null`, where output is lost silently. So this
/// checks before that.
mod before_main {
    use std::sync::atomic::Ordering;

    use rustix::io::{Errno, fcntl_getfd};

    ctor::declarative::ctor! {
        #[ctor(unsafe)]
        fn check_stdout() {
            let closed = fcntl_getfd(rustix::stdio::stdout()) == Err(Errno::BADF);
            super::CLOSED_AT_START.store(closed, Ordering::Relaxed);
        }
    }
}
