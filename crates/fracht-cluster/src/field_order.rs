//! The usual order of fields: a name before what it names, an image before its settings.
//!
//! The cluster's types write their fields in the order of the alphabet, which puts a container's arguments
//! before its name. [`Ordered`] writes a struct in turns, each of which lets through the fields of one rank.
//! Maps with keys of the author's own (labels, data …) are not structs and stay unchanged.

use std::fmt;

use serde::ser::{
    Error as _, Impossible, Serialize, SerializeMap, SerializeSeq, SerializeStruct, Serializer,
};

/// The last rank: that of all fields that are not in the other ranks.
const LAST: u8 = 3;

fn rank(field: &str) -> u8 {
    match field.as_bytes() {
        b"apiVersion" | b"kind" | b"name" => 0,
        b"metadata" | b"namespace" | b"image" => 1,
        b"command" | b"labels" => 2,
        _ => LAST,
    }
}

/// Writes a value with its fields in order, on every level.
pub(crate) struct Ordered<'v, T: ?Sized>(pub(crate) &'v T);

impl<T: Serialize + ?Sized> Serialize for Ordered<'_, T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        // Only a struct succeeds.
        let Ok(StructShape { name, count, ranks }) = self.0.serialize(StructProbe) else {
            return self.0.serialize(NotStruct(serializer));
        };
        let mut out = serializer.serialize_struct(name, count)?;
        for rank in (0..=LAST).filter(|rank| ranks >> rank & 1 == 1) {
            // Most structs have fields of one rank only.
            let all = ranks == 1 << rank;
            self.0.serialize(OneRank { out: &mut out, rank, all })?;
        }
        out.end()
    }
}

/// The methods of a serializer that takes structs only, and what holds one.
macro_rules! structs_only {
    ($($method:ident($($kind:ty),*);)*) => {
        $(fn $method(self, $(_: $kind),*) -> Result<Self::Ok, Self::Error> { Err(refused()) })*
        fn serialize_some<V: Serialize + ?Sized>(self, value: &V) -> Result<Self::Ok, Self::Error> {
            value.serialize(self)
        }
        fn serialize_newtype_struct<V: Serialize + ?Sized>(
            self, _: &'static str, value: &V,
        ) -> Result<Self::Ok, Self::Error> {
            value.serialize(self)
        }
        fn serialize_newtype_variant<V: Serialize + ?Sized>(
            self, _: &'static str, _: u32, _: &'static str, _: &V,
        ) -> Result<Self::Ok, Self::Error> {
            Err(refused())
        }
        fn serialize_seq(self, _: Option<usize>) -> Result<Self::SerializeSeq, Self::Error> { Err(refused()) }
        fn serialize_tuple(self, _: usize) -> Result<Self::SerializeTuple, Self::Error> { Err(refused()) }
        fn serialize_tuple_struct(
            self, _: &'static str, _: usize,
        ) -> Result<Self::SerializeTupleStruct, Self::Error> { Err(refused()) }
        fn serialize_tuple_variant(
            self, _: &'static str, _: u32, _: &'static str, _: usize,
        ) -> Result<Self::SerializeTupleVariant, Self::Error> { Err(refused()) }
        fn serialize_map(self, _: Option<usize>) -> Result<Self::SerializeMap, Self::Error> { Err(refused()) }
        fn serialize_struct_variant(
            self, _: &'static str, _: u32, _: &'static str, _: usize,
        ) -> Result<Self::SerializeStructVariant, Self::Error> { Err(refused()) }
    };
}

/// The methods of [`structs_only`] that take a plain value.
macro_rules! plain_values {
    ($callback:ident) => {
        $callback! {
            serialize_bool(bool); serialize_i8(i8); serialize_i16(i16); serialize_i32(i32); serialize_i64(i64);
            serialize_u8(u8); serialize_u16(u16); serialize_u32(u32); serialize_u64(u64); serialize_f32(f32);
            serialize_f64(f64); serialize_char(char); serialize_str(&str); serialize_bytes(&[u8]);
            serialize_none(); serialize_unit(); serialize_unit_struct(&'static str);
            serialize_unit_variant(&'static str, u32, &'static str);
        }
    };
}

fn refused<E: serde::ser::Error>() -> E {
    E::custom("no struct")
}

/// Finds out whether a value is a struct.
struct StructProbe;

impl Serializer for StructProbe {
    type Ok = StructShape;
    type Error = fmt::Error;
    type SerializeSeq = Impossible<Self::Ok, Self::Error>;
    type SerializeTuple = Impossible<Self::Ok, Self::Error>;
    type SerializeTupleStruct = Impossible<Self::Ok, Self::Error>;
    type SerializeTupleVariant = Impossible<Self::Ok, Self::Error>;
    type SerializeMap = Impossible<Self::Ok, Self::Error>;
    type SerializeStruct = StructShape;
    type SerializeStructVariant = Impossible<Self::Ok, Self::Error>;

    fn serialize_struct(self, name: &'static str, count: usize) -> Result<StructShape, fmt::Error> {
        Ok(StructShape { name, count, ranks: 0 })
    }

    plain_values!(structs_only);
}

/// The name of a struct, its number of fields, and their ranks, one bit per rank.
struct StructShape {
    name: &'static str,
    count: usize,
    ranks: u8,
}

impl SerializeStruct for StructShape {
    type Ok = Self;
    type Error = fmt::Error;

    fn serialize_field<V: Serialize + ?Sized>(
        &mut self,
        name: &'static str,
        _: &V,
    ) -> Result<(), fmt::Error> {
        self.ranks |= 1 << rank(name);
        Ok(())
    }

    fn end(self) -> Result<Self, fmt::Error> {
        Ok(self)
    }
}

/// Writes the fields of one rank.
struct OneRank<'o, O> {
    out: &'o mut O,
    rank: u8,
    /// Set if the struct has only fields of this rank.
    all: bool,
}

impl<O: SerializeStruct> Serializer for OneRank<'_, O> {
    type Ok = ();
    type Error = O::Error;
    type SerializeSeq = Impossible<(), O::Error>;
    type SerializeTuple = Impossible<(), O::Error>;
    type SerializeTupleStruct = Impossible<(), O::Error>;
    type SerializeTupleVariant = Impossible<(), O::Error>;
    type SerializeMap = Impossible<(), O::Error>;
    type SerializeStruct = Self;
    type SerializeStructVariant = Impossible<(), O::Error>;

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Self, O::Error> {
        Ok(self)
    }

    plain_values!(structs_only);
}

impl<O: SerializeStruct> SerializeStruct for OneRank<'_, O> {
    type Ok = ();
    type Error = O::Error;

    fn serialize_field<V: Serialize + ?Sized>(
        &mut self,
        name: &'static str,
        value: &V,
    ) -> Result<(), O::Error> {
        if self.all || rank(name) == self.rank {
            self.out.serialize_field(name, &Ordered(value))
        } else {
            Ok(())
        }
    }

    fn end(self) -> Result<(), O::Error> {
        Ok(())
    }
}

/// Writes a value that is not a struct, with the fields of its items in order.
struct NotStruct<S>(S);

/// The methods of a serializer that write a plain value.
macro_rules! handed_on {
    ($($method:ident($($kind:ty),*);)*) => { $(handed_on!(@ $method $($kind),*);)* };
    (@ $method:ident) => { fn $method(self) -> Result<S::Ok, S::Error> { self.0.$method() } };
    (@ $method:ident $kind:ty) => {
        fn $method(self, value: $kind) -> Result<S::Ok, S::Error> { self.0.$method(value) }
    };
    (@ $method:ident $a:ty, $b:ty, $c:ty) => {
        fn $method(self, a: $a, b: $b, c: $c) -> Result<S::Ok, S::Error> { self.0.$method(a, b, c) }
    };
}

impl<S: Serializer> Serializer for NotStruct<S> {
    type Ok = S::Ok;
    type Error = S::Error;
    type SerializeSeq = Items<S::SerializeSeq>;
    type SerializeTuple = Impossible<S::Ok, S::Error>;
    type SerializeTupleStruct = Impossible<S::Ok, S::Error>;
    type SerializeTupleVariant = Impossible<S::Ok, S::Error>;
    type SerializeMap = Items<S::SerializeMap>;
    type SerializeStruct = S::SerializeStruct;
    type SerializeStructVariant = Impossible<S::Ok, S::Error>;

    plain_values!(handed_on);

    fn serialize_some<V: Serialize + ?Sized>(self, value: &V) -> Result<S::Ok, S::Error> {
        self.0.serialize_some(&Ordered(value))
    }

    fn serialize_newtype_struct<V: Serialize + ?Sized>(
        self,
        name: &'static str,
        value: &V,
    ) -> Result<S::Ok, S::Error> {
        self.0.serialize_newtype_struct(name, &Ordered(value))
    }

    fn serialize_seq(self, count: Option<usize>) -> Result<Self::SerializeSeq, S::Error> {
        self.0.serialize_seq(count).map(Items)
    }

    fn serialize_map(self, count: Option<usize>) -> Result<Self::SerializeMap, S::Error> {
        self.0.serialize_map(count).map(Items)
    }

    fn serialize_struct(self, name: &'static str, count: usize) -> Result<S::SerializeStruct, S::Error> {
        self.0.serialize_struct(name, count)
    }

    // No type of the API uses these.

    fn serialize_newtype_variant<V: Serialize + ?Sized>(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: &V,
    ) -> Result<S::Ok, S::Error> {
        Err(S::Error::custom("a variant"))
    }

    fn serialize_tuple(self, _: usize) -> Result<Self::SerializeTuple, S::Error> {
        Err(S::Error::custom("a tuple"))
    }

    fn serialize_tuple_struct(
        self,
        _: &'static str,
        _: usize,
    ) -> Result<Self::SerializeTupleStruct, S::Error> {
        Err(S::Error::custom("a tuple"))
    }

    fn serialize_tuple_variant(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: usize,
    ) -> Result<Self::SerializeTupleVariant, S::Error> {
        Err(S::Error::custom("a variant"))
    }

    fn serialize_struct_variant(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: usize,
    ) -> Result<Self::SerializeStructVariant, S::Error> {
        Err(S::Error::custom("a variant"))
    }
}

/// The items of a list or a table.
struct Items<I>(I);

impl<I: SerializeSeq> SerializeSeq for Items<I> {
    type Ok = I::Ok;
    type Error = I::Error;

    fn serialize_element<V: Serialize + ?Sized>(&mut self, value: &V) -> Result<(), I::Error> {
        self.0.serialize_element(&Ordered(value))
    }

    fn end(self) -> Result<I::Ok, I::Error> {
        self.0.end()
    }
}

impl<I: SerializeMap> SerializeMap for Items<I> {
    type Ok = I::Ok;
    type Error = I::Error;

    fn serialize_key<K: Serialize + ?Sized>(&mut self, key: &K) -> Result<(), I::Error> {
        self.0.serialize_key(key)
    }

    fn serialize_value<V: Serialize + ?Sized>(&mut self, value: &V) -> Result<(), I::Error> {
        self.0.serialize_value(&Ordered(value))
    }

    fn end(self) -> Result<I::Ok, I::Error> {
        self.0.end()
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use k8s_openapi::api::core::v1::{ConfigMap, Container, EnvVar, Pod, PodSpec};
    use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

    use super::Ordered;

    #[test]
    fn names_come_first_and_no_field_is_lost() {
        let variable = EnvVar { name: "A".into(), value: Some("b".into()), value_from: None };
        let container = Container {
            args: Some(vec!["x".into()]),
            command: Some(vec!["y".into()]),
            env: Some(vec![variable]),
            image: Some("i".into()),
            name: "c".into(),
            ..Container::default()
        };
        let labels = BTreeMap::from([("a".to_owned(), "1".to_owned()), ("name".to_owned(), "2".to_owned())]);
        let metadata =
            ObjectMeta { name: Some("p".into()), labels: Some(labels.clone()), ..ObjectMeta::default() };
        let pod = Pod {
            metadata: metadata.clone(),
            spec: Some(PodSpec { containers: vec![container], ..PodSpec::default() }),
            status: None,
        };
        let text = serde_json::to_string(&Ordered(&pod)).unwrap();
        assert_eq!(
            text,
            "{\"apiVersion\":\"v1\",\"kind\":\"Pod\",\"metadata\":{\"name\":\"p\",\"labels\":{\"a\":\"1\",\"name\":\"2\"}},\
             \"spec\":{\"containers\":[{\"name\":\"c\",\"image\":\"i\",\"command\":[\"y\"],\"args\":[\"x\"],\
             \"env\":[{\"name\":\"A\",\"value\":\"b\"}]}]}}"
        );
        let plain: serde_json::Value = serde_json::to_value(&pod).unwrap();
        assert_eq!(serde_json::from_str::<serde_json::Value>(&text).unwrap(), plain);
        let config = ConfigMap { data: Some(labels), metadata, ..ConfigMap::default() };
        let text = serde_json::to_string(&Ordered(&config)).unwrap();
        assert!(text.find("metadata") < text.find("data\":{\"a"), "{text}");
    }
}
