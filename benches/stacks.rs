//! Times `check` and `render` for stacks of 100, 1,000 and 10,000 services, and the bare serial run of the same
//! libraries: parse with spans, copy the typed objects, write the YAML, no checks.
//!
//! `cargo bench -p fracht-benches` times them all; `cargo test -p fracht-benches --bench stacks` runs the small ones once.
#![allow(missing_docs, clippy::expect_used, clippy::panic, reason = "a benchmark that panics has failed")]

use std::hint::black_box;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant};

use criterion::{Bencher, BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use fracht_cluster::{Comments, Format, Rendering};
use fracht_core::check::{Project, Verdict};
use fracht_core::files::MemoryFiles;
use fracht_testkit::generator;
use serde_json::Value;

fn files(text: &str) -> MemoryFiles {
    MemoryFiles::default().with("/s/fracht.toml", text)
}

/// Reads and checks.
fn checked(files: &MemoryFiles) -> (Project<'_>, Verdict) {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap_or_else(|error| panic!("{error}"));
    let verdict = project.check("cluster").expect("a stack without targets has one");
    assert!(!verdict.report.has_errors(), "{:#?}", verdict.report.findings());
    (project, verdict)
}

/// The time of a check, without freeing memory, as in the tool.
fn check(files: &MemoryFiles) -> Duration {
    let start = Instant::now();
    let kept = black_box(checked(files));
    let took = start.elapsed();
    drop(kept);
    took
}

/// The time of a check and of writing all objects.
fn render(files: &MemoryFiles) -> Duration {
    let start = Instant::now();
    let (project, verdict) = checked(files);
    let rendering =
        Rendering::plan(verdict.checked().expect("the stack has no errors")).expect("objects that fit");
    rendering.write(Format::Yaml, Comments::None, &mut io::sink()).expect("a sink takes all");
    let took = start.elapsed();
    drop(rendering);
    drop((project, verdict));
    took
}

/// The objects of a stack, which the bare run clones.
fn objects(verdict: &Verdict) -> Vec<Value> {
    let checked = verdict.checked().expect("the stack has no errors");
    let rendering = Rendering::plan(checked).expect("objects that fit");
    rendering.planned().iter().map(|piece| rendering.value(piece)).collect()
}

/// The time of the bare run, on one thread.
fn bare(text: &str, objects: &[Value]) -> Duration {
    let start = Instant::now();
    let tree = black_box(toml::de::DeTable::parse_recoverable(text));
    let mut out = String::new();
    for object in objects {
        out.clear();
        let options = serde_saphyr::ser_options! { folded_wrap_chars: usize::MAX };
        serde_saphyr::to_fmt_writer_with_options(&mut out, &object.clone(), options)
            .expect("it can be written");
        black_box(&out);
    }
    let took = start.elapsed();
    drop(tree);
    took
}

fn timed(bencher: &mut Bencher<'_>, run: impl Fn() -> Duration) {
    bencher.iter_custom(|times| (0..times).map(|_| run()).sum());
}

fn stacks(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("stacks");
    group.sample_size(10);
    let is_timed = std::env::args().any(|argument| argument == "--bench");
    let sizes: &[usize] = if is_timed { &[100, 1_000, 10_000] } else { &[100] };
    for &services in sizes {
        let text = generator::stack(services);
        let files = files(&text);
        let layered = self::files(&generator::layered(services));
        let objects = objects(&checked(&files).1);
        group.throughput(Throughput::Elements(services as u64));
        group.bench_function(BenchmarkId::new("bare", services), |b| timed(b, || bare(&text, &objects)));
        group.bench_function(BenchmarkId::new("check", services), |b| timed(b, || check(&files)));
        group.bench_function(BenchmarkId::new("check and render", services), |b| timed(b, || render(&files)));
        group.bench_function(BenchmarkId::new("five layers", services), |b| timed(b, || render(&layered)));
    }
    group.finish();
}

criterion_group!(benches, stacks);
criterion_main!(benches);
