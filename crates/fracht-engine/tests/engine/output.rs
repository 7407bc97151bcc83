//! The output of several containers, merged.

use std::collections::VecDeque;
use std::io::{self, Cursor};
use std::sync::Mutex;

use fracht_engine::api::{Engine, LogOptions};
use fracht_engine::output::{OfContainer, read};
use fracht_engine::transport::{Answer, Attached, Request, Transport};

/// An engine that has nothing but output, for one container after the other.
struct Logs(Mutex<VecDeque<(String, Vec<u8>)>>);

fn frame(stream: u8, text: &str) -> Vec<u8> {
    let length = u32::try_from(text.len()).unwrap().to_be_bytes();
    [&[stream, 0, 0, 0][..], &length, text.as_bytes()].concat()
}

impl Transport for Logs {
    fn send(&self, request: Request<'_>) -> io::Result<Answer> {
        let logs = self.0.lock().unwrap();
        let of = |(name, _): &&(String, Vec<u8>)| request.path.contains(&format!("/containers/{name}/logs"));
        match logs.iter().find(of) {
            Some((_, body)) => Ok(Answer { status: 200, body: Box::new(Cursor::new(body.clone())) }),
            None => Ok(Answer { status: 404, body: Box::new(io::empty()) }),
        }
    }

    fn attach(&self, _: Request<'_>) -> io::Result<Attached> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn place(&self) -> String {
        "logs".into()
    }
}

/// The lines that are written, as `container:text`.
fn lines(logs: &[(&str, &[(u8, &str)])], options: LogOptions) -> Vec<String> {
    let bodies = logs.iter().map(|(name, frames)| {
        let body = frames.iter().flat_map(|(stream, text)| frame(*stream, text)).collect();
        ((*name).to_owned(), body)
    });
    let engine = Engine::new(Box::new(Logs(Mutex::new(bodies.collect()))));
    let names: Vec<String> = logs.iter().map(|(name, _)| (*name).to_owned()).collect();
    let mut written = Vec::new();
    let mut write = |line: &OfContainer| {
        written.push(format!("{}:{}", names[line.container], line.line.text));
        true
    };
    read(&engine, &names, options, &mut write).unwrap();
    written
}

const TWO: [(&str, &[(u8, &str)]); 2] = [
    ("a", &[(1, "2026-11-25T08:00:01Z one\n"), (2, "2026-11-25T08:00:04.5Z four\n")]),
    (
        "b",
        &[
            (1, "2026-11-25T08:00:02Z two\n"),
            (1, "2026-11-25T08:00:03Z three\n"),
            (1, "2026-11-25T08:00:09Z open"),
        ],
    ),
];

#[test]
fn lines_are_in_the_order_of_their_times() {
    let all = ["a:one", "b:two", "b:three", "a:four", "b:open"];
    assert_eq!(lines(&TWO, LogOptions::default()), all);
    assert_eq!(lines(&TWO, LogOptions { follow: true, ..LogOptions::default() }), all);
    assert_eq!(lines(&TWO, LogOptions { last: Some(2), ..LogOptions::default() }), ["a:four", "b:open"]);
}

#[test]
fn lines_of_one_container_keep_their_order() {
    // A clock that goes back, and a line without a time.
    let odd: [(&str, &[(u8, &str)]); 2] = [
        ("a", &[(1, "2026-11-25T08:00:05Z first\n2026-11-25T08:00:01Z second\n"), (1, "never a time\n")]),
        ("b", &[(1, "2026-11-25T08:00:04Z other\n")]),
    ];
    assert_eq!(lines(&odd, LogOptions::default()), ["b:other", "a:first", "a:second", "a:a time"]);
}

#[test]
fn a_reader_that_has_enough_ends_it() {
    let frames: Vec<(u8, String)> = (0..5000).map(|n| (1, format!("2026-11-25T08:00:00Z {n}\n"))).collect();
    let body = frames.iter().flat_map(|(stream, text)| frame(*stream, text)).collect();
    let engine = Engine::new(Box::new(Logs(Mutex::new([("a".to_owned(), body)].into()))));
    let mut count = 0;
    let options = LogOptions { follow: true, ..LogOptions::default() };
    read(&engine, &["a".to_owned()], options, &mut |_| {
        count += 1;
        count < 3
    })
    .unwrap();
    assert_eq!(count, 3);
}

proptest::proptest! {
    /// Whatever an engine sends as output, reading it ends, and lines are those that were written.
    #[test]
    fn any_bytes_are_read_to_their_end(bytes in proptest::collection::vec(proptest::prelude::any::<u8>(), 0..400)) {
        let engine = Engine::new(Box::new(Logs(Mutex::new([("a".to_owned(), bytes)].into()))));
        let mut count = 0;
        read(&engine, &["a".to_owned()], LogOptions::default(), &mut |_| {
            count += 1;
            true
        })
        .unwrap();
        proptest::prop_assert!(count <= 400);
    }

    /// A text in any frames, cut anywhere, is put together again.
    #[test]
    fn a_text_is_the_same_however_it_is_cut(
        texts in proptest::collection::vec("[a-zü ]{0,12}", 1..6),
        cuts in proptest::collection::vec(1..5_usize, 0..40),
    ) {
        let time = "2026-11-25T08:00:00Z ";
        let mut body = Vec::new();
        for text in &texts {
            // Each frame of a line has a time of its own.
            let mut rest: Vec<char> = format!("{text}\n").chars().collect();
            for cut in &cuts {
                if rest.len() > *cut {
                    let part: String = rest.drain(..*cut).collect();
                    body.extend(frame(1, &format!("{time}{part}")));
                }
            }
            body.extend(frame(1, &format!("{time}{}", rest.iter().collect::<String>())));
        }
        let engine = Engine::new(Box::new(Logs(Mutex::new([("a".to_owned(), body)].into()))));
        let mut written = Vec::new();
        read(&engine, &["a".to_owned()], LogOptions::default(), &mut |line| {
            written.push(line.line.text.clone());
            true
        })
        .unwrap();
        proptest::prop_assert_eq!(written, texts);
    }
}
