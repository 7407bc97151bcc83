//! A serializer for YAML: maps and lists in block style, fields in the order in which they come.
//!
//! Most texts of objects are plain words and paths, which it writes itself; the others go to the YAML library. Tests
//! compare its output with that of the library, byte by byte.

mod error;
mod text;

use std::fmt::{self, Write as _};

use serde::ser::{
    Error as _, Impossible, Serialize, SerializeMap, SerializeSeq, SerializeStruct, Serializer,
};

pub(crate) use self::error::Error;

/// Writes a value as a YAML document.
///
/// # Errors
/// [`Error`] for a value that objects do not have: a map whose keys are not texts, a variant with data.
pub(crate) fn write(value: &impl Serialize, out: &mut String) -> Result<(), Error> {
    value.serialize(&mut Writer { out, column: 0, place: Place::Start })
}

/// Where the next value begins.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Place {
    /// At the start of the document.
    Start,
    /// Behind `key:`.
    Key,
    /// Behind `- `.
    Dash,
    /// Where a key is.
    MapKey,
}

pub(super) struct Writer<'o> {
    out: &'o mut String,
    /// The column of the keys or dashes of the innermost open collection.
    column: usize,
    place: Place,
}

impl Writer<'_> {
    fn spaces(&mut self, count: usize) {
        const SPACES: &str = "                                                                ";
        let mut left = count;
        while left > 0 {
            let some = left.min(SPACES.len());
            self.out.push_str(SPACES.get(..some).unwrap_or_default());
            left -= some;
        }
    }

    /// Writes a value that is no text on the current line.
    fn plain(&mut self, text: fmt::Arguments<'_>) -> Result<(), Error> {
        self.value()?;
        if self.place == Place::Key {
            self.out.push(' ');
        }
        // Writing to a string cannot fail.
        let _ = self.out.write_fmt(text);
        self.out.push('\n');
        Ok(())
    }

    /// Refuses a key that is no text.
    fn value(&self) -> Result<(), Error> {
        match self.place {
            Place::MapKey => Err(Error::custom("a key that is no text")),
            Place::Start | Place::Key | Place::Dash => Ok(()),
        }
    }

    /// Starts the line of an entry of a collection. The first entry of one behind a dash, or at the start of the
    /// document, is on the line that is there.
    fn entry(&mut self, block: &mut Block) {
        if std::mem::take(&mut block.is_empty) {
            if self.place == Place::Key {
                self.out.push('\n');
                self.spaces(self.column);
            }
        } else {
            self.spaces(self.column);
        }
    }

    /// Opens a collection whose entries begin `deeper` columns further than those around it.
    fn open(&mut self, deeper: usize) -> Result<Block, Error> {
        self.value()?;
        let around = self.column;
        self.column += deeper;
        Ok(Block { around, is_empty: true })
    }

    fn close(&mut self, block: &Block, empty: &str) -> Result<(), Error> {
        self.column = block.around;
        if block.is_empty { self.plain(format_args!("{empty}")) } else { Ok(()) }
    }
}

/// An open map or list.
struct Block {
    /// The column of the collection around it.
    around: usize,
    is_empty: bool,
}

/// A map, a struct or a list that is being written.
pub(super) struct Entries<'w, 'o> {
    writer: &'w mut Writer<'o>,
    block: Block,
}

impl<'w, 'o> Serializer for &'w mut Writer<'o> {
    type Ok = ();
    type Error = Error;
    type SerializeSeq = Entries<'w, 'o>;
    type SerializeTuple = Impossible<(), Error>;
    type SerializeTupleStruct = Impossible<(), Error>;
    type SerializeTupleVariant = Impossible<(), Error>;
    type SerializeMap = Entries<'w, 'o>;
    type SerializeStruct = Entries<'w, 'o>;
    type SerializeStructVariant = Impossible<(), Error>;

    fn serialize_bool(self, value: bool) -> Result<(), Error> {
        self.plain(format_args!("{value}"))
    }

    fn serialize_i8(self, value: i8) -> Result<(), Error> {
        self.serialize_i64(value.into())
    }

    fn serialize_i16(self, value: i16) -> Result<(), Error> {
        self.serialize_i64(value.into())
    }

    fn serialize_i32(self, value: i32) -> Result<(), Error> {
        self.serialize_i64(value.into())
    }

    fn serialize_i64(self, value: i64) -> Result<(), Error> {
        self.plain(format_args!("{value}"))
    }

    fn serialize_u8(self, value: u8) -> Result<(), Error> {
        self.serialize_u64(value.into())
    }

    fn serialize_u16(self, value: u16) -> Result<(), Error> {
        self.serialize_u64(value.into())
    }

    fn serialize_u32(self, value: u32) -> Result<(), Error> {
        self.serialize_u64(value.into())
    }

    fn serialize_u64(self, value: u64) -> Result<(), Error> {
        self.plain(format_args!("{value}"))
    }

    fn serialize_f32(self, value: f32) -> Result<(), Error> {
        self.serialize_f64(value.into())
    }

    fn serialize_f64(self, value: f64) -> Result<(), Error> {
        let text = serde_saphyr::to_string(&value).map_err(Error::custom)?;
        self.plain(format_args!("{}", text.trim_end()))
    }

    fn serialize_char(self, value: char) -> Result<(), Error> {
        self.serialize_str(value.encode_utf8(&mut [0; 4]))
    }

    fn serialize_str(self, value: &str) -> Result<(), Error> {
        match self.place {
            Place::MapKey => return text::write_key(value, self.out),
            Place::Key => self.out.push(' '),
            Place::Start | Place::Dash => {}
        }
        text::write(value, self.column, self.out)
    }

    fn serialize_bytes(self, _: &[u8]) -> Result<(), Error> {
        Err(Error::custom("bytes are written in base64"))
    }

    fn serialize_none(self) -> Result<(), Error> {
        self.serialize_unit()
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<(), Error> {
        value.serialize(self)
    }

    fn serialize_unit(self) -> Result<(), Error> {
        self.plain(format_args!("null"))
    }

    fn serialize_unit_struct(self, _: &'static str) -> Result<(), Error> {
        self.serialize_unit()
    }

    fn serialize_unit_variant(self, _: &'static str, _: u32, variant: &'static str) -> Result<(), Error> {
        self.serialize_str(variant)
    }

    fn serialize_newtype_struct<T: Serialize + ?Sized>(
        self,
        _: &'static str,
        value: &T,
    ) -> Result<(), Error> {
        value.serialize(self)
    }

    fn serialize_newtype_variant<T: Serialize + ?Sized>(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: &T,
    ) -> Result<(), Error> {
        Err(Error::custom("a variant with data"))
    }

    /// Dashes behind a key are in its column; those behind a dash are two columns further.
    fn serialize_seq(self, _: Option<usize>) -> Result<Entries<'w, 'o>, Error> {
        let block = self.open(if self.place == Place::Dash { 2 } else { 0 })?;
        Ok(Entries { writer: self, block })
    }

    fn serialize_tuple(self, _: usize) -> Result<Self::SerializeTuple, Error> {
        Err(Error::custom("a tuple"))
    }

    fn serialize_tuple_struct(self, _: &'static str, _: usize) -> Result<Self::SerializeTupleStruct, Error> {
        Err(Error::custom("a tuple"))
    }

    fn serialize_tuple_variant(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: usize,
    ) -> Result<Self::SerializeTupleVariant, Error> {
        Err(Error::custom("a variant with data"))
    }

    fn serialize_map(self, _: Option<usize>) -> Result<Entries<'w, 'o>, Error> {
        let block = self.open(if self.place == Place::Start { 0 } else { 2 })?;
        Ok(Entries { writer: self, block })
    }

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Entries<'w, 'o>, Error> {
        self.serialize_map(None)
    }

    fn serialize_struct_variant(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: usize,
    ) -> Result<Self::SerializeStructVariant, Error> {
        Err(Error::custom("a variant with data"))
    }
}

impl SerializeSeq for Entries<'_, '_> {
    type Ok = ();
    type Error = Error;

    fn serialize_element<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Error> {
        self.writer.entry(&mut self.block);
        self.writer.out.push_str("- ");
        self.writer.place = Place::Dash;
        value.serialize(&mut *self.writer)
    }

    fn end(self) -> Result<(), Error> {
        self.writer.close(&self.block, "[]")
    }
}

impl SerializeMap for Entries<'_, '_> {
    type Ok = ();
    type Error = Error;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), Error> {
        self.writer.entry(&mut self.block);
        self.writer.place = Place::MapKey;
        key.serialize(&mut *self.writer)?;
        self.writer.out.push(':');
        self.writer.place = Place::Key;
        Ok(())
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Error> {
        value.serialize(&mut *self.writer)
    }

    fn end(self) -> Result<(), Error> {
        self.writer.close(&self.block, "{}")
    }
}

impl SerializeStruct for Entries<'_, '_> {
    type Ok = ();
    type Error = Error;

    fn serialize_field<T: Serialize + ?Sized>(&mut self, name: &'static str, value: &T) -> Result<(), Error> {
        self.writer.entry(&mut self.block);
        // The names of fields are plain words.
        self.writer.out.push_str(name);
        self.writer.out.push(':');
        self.writer.place = Place::Key;
        value.serialize(&mut *self.writer)
    }

    fn end(self) -> Result<(), Error> {
        self.writer.close(&self.block, "{}")
    }
}
