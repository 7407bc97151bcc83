//! How containers are ended.

use std::time::Duration;

use fracht_core::model::{BeforeStop, Container, Workload};

use crate::api::{Engine, EngineError};

/// How a container is ended.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Ending {
    /// The program that runs in it before.
    pub before: Option<Vec<String>>,
    /// How long it has to stop.
    pub within: Duration,
}

impl Ending {
    /// The way in which a container is ended that the stack has no more.
    pub fn short() -> Self {
        Self { before: None, within: Duration::from_secs(10) }
    }

    /// The way in which a container of the model is ended.
    pub fn of(workload: &Workload, container: &Container) -> Self {
        let before = match container.before_stop.as_ref().map(|before| &before.value) {
            Some(BeforeStop::Run(words)) => Some(words.iter().map(|word| word.value.to_string()).collect()),
            // A pause lets load balancers notice, and here are none.
            Some(BeforeStop::Wait(_)) | None => None,
        };
        Self { before, within: workload.stop_time() }
    }

    /// Ends and removes a container. That it is not there is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn end(&self, engine: &Engine, name: &str) -> Result<(), EngineError> {
        if let Some(command) = &self.before {
            // It may not run, and then there is nothing to do before.
            let _ = engine.run(name, command.clone(), self.within.max(Duration::from_secs(1)));
        }
        engine.stop(name, self.within)?;
        engine.remove(name)
    }
}
