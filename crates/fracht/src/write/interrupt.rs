//! Holds back signals that end the program (POSIX: SIGHUP, SIGINT, SIGTERM) while files are written.

use std::io;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};

use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::{flag, low_level};

const SIGNALS: [i32; 3] = [SIGHUP, SIGINT, SIGTERM];

/// The state that the signal handlers share with the program.
struct Signals {
    /// Set if a signal ends the program as usual.
    free: Arc<AtomicBool>,
    /// The last signal that was held back; 0 for none.
    held: Arc<AtomicUsize>,
}

/// Holds signals back until it is dropped. A signal that came meanwhile then takes effect.
pub(crate) struct Hold {
    signals: Option<&'static Signals>,
}

/// Holds signals back.
pub(crate) fn hold() -> Hold {
    static SIGNALS_HELD: OnceLock<Option<Signals>> = OnceLock::new();
    let signals = SIGNALS_HELD.get_or_init(|| {
        let signals = Signals { free: Arc::default(), held: Arc::default() };
        for signal in SIGNALS {
            flag::register_conditional_default(signal, Arc::clone(&signals.free)).ok()?;
            let number = usize::try_from(signal).ok()?;
            flag::register_usize(signal, Arc::clone(&signals.held), number).ok()?;
        }
        Some(signals)
    });
    // If signals cannot be handled, they end the program at once, as SIGKILL does.
    let signals = signals.as_ref();
    if let Some(signals) = signals {
        signals.free.store(false, Ordering::SeqCst);
    }
    Hold { signals }
}

impl Hold {
    /// Returns an error if the work should stop.
    ///
    /// # Errors
    /// `Interrupted` if a signal has come.
    pub(crate) fn check(&self) -> io::Result<()> {
        let came = self.signals.is_some_and(|signals| signals.held.load(Ordering::SeqCst) != 0);
        if came { Err(io::ErrorKind::Interrupted.into()) } else { Ok(()) }
    }
}

impl Drop for Hold {
    fn drop(&mut self) {
        let Some(signals) = self.signals else { return };
        signals.free.store(true, Ordering::SeqCst);
        if let Ok(signal @ 1..) = i32::try_from(signals.held.swap(0, Ordering::SeqCst)) {
            // The program ends by the signal, as its sender expects.
            let _ = low_level::emulate_default_handler(signal);
        }
    }
}
