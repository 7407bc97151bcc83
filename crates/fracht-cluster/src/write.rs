//! Objects as text.
//!
//! Writing takes most of the time of a rendering. Objects are built and written in blocks, several at
//! once where there are many, and each block goes out before the next: what is held is a few blocks.

use std::fmt::Write as _;
use std::io;

use fracht_core::source::Sources;
use rayon::iter::{IntoParallelRefIterator as _, ParallelIterator as _};
use serde_saphyr::SerializerOptions;

use crate::field_order::Ordered;
use crate::plan::{Origin, PlannedObject};
use crate::rendering::Rendering;

/// How objects are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// YAML documents, one after the other.
    Yaml,
    /// JSON: one `List` object, or one object for each file.
    Json,
}

/// What stands above each object.
#[derive(Clone, Copy)]
pub enum Comments<'s> {
    /// Nothing.
    None,
    /// What of the stack it is made of. A line more in the stack changes none of them.
    Origins(&'s Sources),
    /// That, and the line.
    Lines(&'s Sources),
}

/// A file of one object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct File {
    /// Its name, which sorts in the order to apply.
    pub name: String,
    /// Its content.
    pub text: String,
    /// Whether it holds the value of a secret.
    pub secret: bool,
}

/// Objects in one block: enough to be worth a thread's turn.
const BLOCK: usize = 64;
/// Blocks of one turn for each thread: enough that none waits long for another at its end.
const BLOCKS_PER_THREAD: usize = 16;
/// Bytes that a block mostly takes.
const BLOCK_BYTES: usize = 1 << 18;
/// Below this many objects threads cost more than they save.
const WORTH_THREADS: usize = 512;

impl Rendering<'_> {
    /// Writes all objects, in the order to apply them.
    ///
    /// # Errors
    /// What `out` says.
    pub fn write(&self, format: Format, comments: Comments<'_>, out: &mut dyn io::Write) -> io::Result<()> {
        let (before, between, after) = match format {
            Format::Yaml => ("", "---\n", ""),
            Format::Json => ("{\"apiVersion\":\"v1\",\"kind\":\"List\",\"items\":[\n", ",\n", "]}\n"),
        };
        let block = |pieces: &[PlannedObject]| -> io::Result<String> {
            let mut text = String::with_capacity(if pieces.len() < BLOCK { 0 } else { BLOCK_BYTES });
            for (index, piece) in pieces.iter().enumerate() {
                if index > 0 {
                    text.push_str(between);
                }
                self.object_text(*piece, format, comments, &mut text)?;
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
            let blocks: Vec<&[PlannedObject]> = self.planned().chunks(BLOCK).collect();
            for turn in blocks.chunks(rayon::current_num_threads() * BLOCKS_PER_THREAD) {
                let texts: Vec<_> = turn.par_iter().map(|pieces| block(pieces)).collect();
                for text in texts {
                    emit(&text?)?;
                }
            }
        }
        out.write_all(after.as_bytes())
    }

    /// A file for each object.
    ///
    /// # Errors
    /// An object that can't be written, which none of ours should be.
    pub fn files(&self, format: Format, comments: Comments<'_>) -> io::Result<Vec<File>> {
        let ending = match format {
            Format::Yaml => "yaml",
            Format::Json => "json",
        };
        let file = |piece: &PlannedObject| {
            let mut text = String::new();
            self.object_text(*piece, format, comments, &mut text)?;
            let name = format!("{}.{ending}", self.file_stem(*piece));
            Ok(File { name, text, secret: self.holds_secret(*piece) })
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
        piece: PlannedObject,
        format: Format,
        comments: Comments<'_>,
        text: &mut String,
    ) -> io::Result<()> {
        match format {
            Format::Yaml => {
                self.comment(piece, comments, text);
                match self.passed_text(piece) {
                    Some(passed) => text.push_str(passed),
                    None => {
                        serde_saphyr::to_fmt_writer_with_options(
                            &mut *text,
                            &Ordered(&self.build(piece)),
                            options(),
                        )
                        .map_err(io::Error::other)?;
                    }
                }
            }
            Format::Json => text.push_str(&serde_json::to_string_pretty(&Ordered(&self.build(piece)))?),
        }
        if !text.ends_with('\n') {
            text.push('\n');
        }
        Ok(())
    }

    fn comment(&self, piece: PlannedObject, comments: Comments<'_>, text: &mut String) {
        let (sources, with_line) = match comments {
            Comments::None => return,
            Comments::Origins(sources) => (sources, false),
            Comments::Lines(sources) => (sources, true),
        };
        let Origin { of, span } = self.origin(piece);
        // Writing to a string can't fail.
        let _ = match span {
            Some(span) if with_line => writeln!(text, "# {of}, {}", sources.location(span)),
            Some(span) => {
                writeln!(text, "# {of}, {}", sources.file(span.file).map_or("?", |file| &file.shown))
            }
            None => writeln!(text, "# {of}"),
        };
    }
}

/// Strings that any reader takes for strings, and no folding of long lines: what is one line stays one.
fn options() -> SerializerOptions {
    serde_saphyr::ser_options! { folded_wrap_chars: usize::MAX }
}
