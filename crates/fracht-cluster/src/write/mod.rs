//! Writes objects as text.
//!
//! Writing takes most of the time of a rendering. Objects are built and written in blocks, several at once if there are
//! many, and each block is written out before the next: only a few blocks are in memory.

mod yaml;

use std::fmt::Write as _;
use std::io;

use fracht_core::source::Sources;
use rayon::iter::{IntoParallelRefIterator as _, ParallelIterator as _};

use crate::plan::{ObjectOrigin, PlannedObject};
use crate::rendering::Rendering;

/// The format of objects.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// YAML documents, one after the other.
    Yaml,
    /// JSON: one `List` object, or one object per file.
    Json,
}

/// The comment above each object.
#[derive(Clone, Copy)]
pub enum Comments<'s> {
    /// Nothing.
    None,
    /// The part of the stack that it is generated from. Adding a line to the stack does not change it.
    Origins(&'s Sources),
    /// The same, with file and line.
    Lines(&'s Sources),
}

/// A file with one object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct File {
    /// Its name, which sorts in the order in which to apply.
    pub name: String,
    /// Its content.
    pub text: String,
    /// Whether it contains the value of a secret.
    pub secret: bool,
}

/// The number of objects in one block: enough work for one thread.
const BLOCK: usize = 64;
/// The number of blocks per thread and turn: enough that threads end at about the same time.
const BLOCKS_PER_THREAD: usize = 16;
/// The usual size of a block in bytes.
const BLOCK_BYTES: usize = 1 << 18;
/// With fewer objects, threads cost more than they save.
const WORTH_THREADS: usize = 512;

impl Rendering<'_> {
    /// Writes all objects, in the order to apply them.
    ///
    /// # Errors
    /// The error of `out`.
    pub fn write(&self, format: Format, comments: Comments<'_>, out: &mut dyn io::Write) -> io::Result<()> {
        let (before, between, after) = match format {
            Format::Yaml => ("", "---\n", ""),
            Format::Json => ("{\"apiVersion\":\"v1\",\"kind\":\"List\",\"items\":[\n", ",\n", "]}\n"),
        };
        let block = |planned: &[PlannedObject<'_>]| -> io::Result<String> {
            let mut text = String::with_capacity(if planned.len() < BLOCK { 0 } else { BLOCK_BYTES });
            for (index, planned) in planned.iter().enumerate() {
                if index > 0 {
                    text.push_str(between);
                }
                self.object_text(planned, format, comments, &mut text)?;
            }
            Ok(text)
        };
        let mut first = true;
        let mut emit = |text: &str| {
            out.write_all(if std::mem::take(&mut first) { before } else { between }.as_bytes())?;
            out.write_all(text.as_bytes())
        };
        if self.planned().len() < WORTH_THREADS {
            emit(&block(self.planned())?)?;
        } else {
            let blocks: Vec<&[PlannedObject<'_>]> = self.planned().chunks(BLOCK).collect();
            for turn in blocks.chunks(rayon::current_num_threads() * BLOCKS_PER_THREAD) {
                let texts: Vec<_> = turn.par_iter().map(|planned| block(planned)).collect();
                for text in texts {
                    emit(&text?)?;
                }
            }
        }
        out.write_all(after.as_bytes())
    }

    /// One file per object.
    ///
    /// # Errors
    /// An object cannot be written, which does not happen for generated objects.
    pub fn files(&self, format: Format, comments: Comments<'_>) -> io::Result<Vec<File>> {
        let ending = match format {
            Format::Yaml => "yaml",
            Format::Json => "json",
        };
        let file = |planned: &PlannedObject<'_>| {
            let mut text = String::new();
            self.object_text(planned, format, comments, &mut text)?;
            let name = format!("{}.{ending}", self.file_stem(planned));
            Ok(File { name, text, secret: planned.holds_secret() })
        };
        if self.planned().len() < WORTH_THREADS {
            self.planned().iter().map(file).collect()
        } else {
            self.planned().par_iter().map(file).collect()
        }
    }

    /// Appends an object's text, which ends with a line break.
    fn object_text(
        &self,
        planned: &PlannedObject<'_>,
        format: Format,
        comments: Comments<'_>,
        text: &mut String,
    ) -> io::Result<()> {
        match format {
            Format::Yaml => {
                self.comment(planned, comments, text);
                match planned.passed_text() {
                    Some(passed) => text.push_str(passed),
                    None => yaml::write(&self.build(planned), text).map_err(io::Error::other)?,
                }
            }
            Format::Json => text.push_str(&serde_json::to_string_pretty(&self.build(planned))?),
        }
        if !text.ends_with('\n') {
            text.push('\n');
        }
        Ok(())
    }

    fn comment(&self, planned: &PlannedObject<'_>, comments: Comments<'_>, text: &mut String) {
        let (sources, with_line) = match comments {
            Comments::None => return,
            Comments::Origins(sources) => (sources, false),
            Comments::Lines(sources) => (sources, true),
        };
        let ObjectOrigin { of, span } = self.origin(planned);
        // Writing to a string cannot fail.
        let _ = match span {
            Some(span) if with_line => writeln!(text, "# {of}, {}", sources.location(span)),
            Some(span) => {
                writeln!(text, "# {of}, {}", sources.file(span.file).map_or("?", |file| &file.shown))
            }
            None => writeln!(text, "# {of}"),
        };
    }
}
