//! Connects a program in a container with our own terminal, or with our own input and output.

use std::io::{self, IsTerminal as _, Read, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;

use fracht_engine::api::{Frames, Output};
use fracht_engine::transport::Attached;
use rustix::termios::{self, OptionalActions, Termios};

use crate::failure::Failure;

/// Whether the program gets a terminal: both directions of ours are one.
pub(crate) fn is_there() -> bool {
    io::stdin().is_terminal() && io::stdout().is_terminal()
}

/// A program that is connected with us.
pub(crate) struct Session<'s> {
    /// Its connection.
    pub(crate) attached: Attached,
    /// Whether it has a terminal.
    pub(crate) tty: bool,
    /// Sets the size of its terminal: columns and lines.
    pub(crate) resize: &'s (dyn Fn((u16, u16)) + Sync),
}

impl Session<'_> {
    /// Passes everything on until the program ends.
    pub(crate) fn run(self) -> Result<(), Failure> {
        let Self { attached, tty, resize } = self;
        let Attached { mut from, to, .. } = attached;
        let raw = tty.then(Raw::new).flatten();
        // It ends with our process: nothing can interrupt its reading.
        thread::spawn(move || send_input(to));
        let is_over = AtomicBool::new(false);
        let done = thread::scope(|scope| {
            if tty {
                scope.spawn(|| follow_size(resize, &is_over));
            }
            let done = if tty { copy(&mut from, &mut io::stdout().lock()) } else { copy_frames(from) };
            is_over.store(true, Ordering::Relaxed);
            done
        });
        drop(raw);
        Ok(done?)
    }
}

fn send_input(mut to: Box<dyn Write + Send>) {
    let mut buffer = [0; 8192];
    let mut input = io::stdin().lock();
    loop {
        match input.read(&mut buffer) {
            Ok(0) => return,
            Ok(read) => {
                let bytes = buffer.get(..read).unwrap_or_default();
                if to.write_all(bytes).and_then(|()| to.flush()).is_err() {
                    return;
                }
            }
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(_) => return,
        }
    }
}

/// Copies bytes as they come. The end of the connection is the end of the program, however it comes.
fn copy(from: &mut dyn Read, to: &mut dyn Write) -> io::Result<()> {
    let mut buffer = [0; 8192];
    loop {
        match from.read(&mut buffer) {
            Ok(0) => return Ok(()),
            Ok(read) => {
                to.write_all(buffer.get(..read).unwrap_or_default())?;
                to.flush()?;
            }
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(_) => return Ok(()),
        }
    }
}

/// Passes each frame to our own stream of its kind.
pub(crate) fn copy_frames(from: impl Read) -> io::Result<()> {
    let (mut out, mut err) = (io::stdout().lock(), io::stderr().lock());
    for frame in Frames::new(from).map_while(Result::ok) {
        let (output, bytes) = frame;
        let to: &mut dyn Write = if output == Output::Out { &mut out } else { &mut err };
        to.write_all(&bytes)?;
        to.flush()?;
    }
    Ok(())
}

/// Passes the size of our terminal on, now and when it changes.
fn follow_size(resize: &dyn Fn((u16, u16)), is_over: &AtomicBool) {
    let changed = Arc::new(AtomicBool::new(true));
    let registered = signal_hook::flag::register(signal_hook::consts::SIGWINCH, Arc::clone(&changed));
    while !is_over.load(Ordering::Relaxed) {
        if changed.swap(false, Ordering::Relaxed)
            && let Ok(size) = termios::tcgetwinsize(rustix::stdio::stdout())
        {
            resize((size.ws_col, size.ws_row));
        }
        thread::sleep(Duration::from_millis(50));
    }
    if let Ok(id) = registered {
        signal_hook::low_level::unregister(id);
    }
}

/// A terminal that passes every key on; it is as before when this is dropped.
struct Raw(Termios);

impl Raw {
    fn new() -> Option<Self> {
        let before = termios::tcgetattr(rustix::stdio::stdin()).ok()?;
        let mut raw = before.clone();
        raw.make_raw();
        termios::tcsetattr(rustix::stdio::stdin(), OptionalActions::Now, &raw).ok()?;
        Some(Self(before))
    }
}

impl Drop for Raw {
    fn drop(&mut self) {
        let _ = termios::tcsetattr(rustix::stdio::stdin(), OptionalActions::Flush, &self.0);
    }
}

/// Calls a function when the person interrupts the command, until the result is dropped.
pub(crate) struct Interrupted {
    is_over: Arc<AtomicBool>,
    was: Arc<AtomicBool>,
}

impl Interrupted {
    pub(crate) fn then(act: impl Fn() + Send + 'static) -> Self {
        let (is_over, was) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicBool::new(false)));
        for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
            // Without it, the signal ends the command, as usual.
            let _ = signal_hook::flag::register(signal, Arc::clone(&was));
        }
        let (over, seen) = (Arc::clone(&is_over), Arc::clone(&was));
        thread::spawn(move || {
            while !over.load(Ordering::Relaxed) {
                if seen.load(Ordering::Relaxed) {
                    act();
                    return;
                }
                thread::sleep(Duration::from_millis(50));
            }
        });
        Self { is_over, was }
    }

    /// Whether it was interrupted.
    pub(crate) fn was(&self) -> bool {
        self.was.load(Ordering::Relaxed)
    }
}

impl Drop for Interrupted {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
    }
}
