//! Check and render of stacks of 100, 1,000 and 10,000 services, and beside it the bare serial run of the
//! same libraries: parse with spans, build the typed objects, write the YAML, no checks.
//!
//! `cargo bench` times them all; `cargo bench -- --test` runs each once.
#![allow(missing_docs, clippy::expect_used, clippy::panic, reason = "a benchmark that panics has failed")]

#[path = "../tests/support/generator.rs"]
mod generator;

use std::hint::black_box;
use std::io;
use std::mem::ManuallyDrop;
use std::path::Path;

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use fracht_cluster::{Comments, Format, Object, Rendering};
use fracht_core::check::{Project, Verdict};
use fracht_core::files::MemoryFiles;

fn files(text: &str) -> MemoryFiles {
    MemoryFiles::default().with("/s/fracht.toml", text)
}

/// Reads and checks. As in the tool, nothing is taken apart at the end.
fn checked(files: &MemoryFiles) -> ManuallyDrop<Verdict> {
    let path = Path::new("/s/fracht.toml");
    let project = Project::open(files, path, path).unwrap_or_else(|error| panic!("{error}"));
    let verdict = ManuallyDrop::new(project).check("cluster").map(ManuallyDrop::new);
    let verdict = verdict.expect("a stack without targets has one");
    assert!(!verdict.report.has_errors(), "{:#?}", verdict.report.findings());
    verdict
}

fn render(verdict: &Verdict) {
    let checked = verdict.checked().expect("the stack has no errors");
    let rendering = ManuallyDrop::new(Rendering::new(checked));
    rendering.write(Format::Yaml, Comments::None, &mut io::sink()).expect("a sink takes all");
}

/// The objects of a stack, built before: the bare run clones them, which costs less than building.
fn objects(verdict: &Verdict) -> Vec<Object> {
    let checked = verdict.checked().expect("the stack has no errors");
    let rendering = Rendering::new(checked);
    rendering.pieces().iter().map(|piece| rendering.build(*piece)).collect()
}

/// What cannot be had for less with these libraries, on one thread.
fn bare(text: &str, objects: &[Object]) {
    let tree = toml::de::DeTable::parse_recoverable(text);
    black_box(&tree);
    std::mem::forget(tree);
    let mut out = String::new();
    for object in objects {
        out.clear();
        let options = serde_saphyr::ser_options! { folded_wrap_chars: usize::MAX };
        serde_saphyr::to_fmt_writer_with_options(&mut out, &object.clone(), options)
            .expect("it can be written");
        black_box(&out);
    }
}

fn stacks(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("stacks");
    group.sample_size(10);
    for services in [100, 1_000, 10_000] {
        let text = generator::stack(services);
        let files = files(&text);
        let layered = self::files(&generator::layered(services));
        let verdict = checked(&files);
        let objects = objects(&verdict);
        group.throughput(Throughput::Elements(services as u64));
        group.bench_function(BenchmarkId::new("bare", services), |b| b.iter(|| bare(&text, &objects)));
        group.bench_function(BenchmarkId::new("check", services), |b| b.iter(|| checked(&files)));
        group.bench_function(BenchmarkId::new("check and render", services), |b| {
            b.iter(|| render(&checked(&files)));
        });
        group.bench_function(BenchmarkId::new("five layers", services), |b| {
            b.iter(|| render(&checked(&layered)));
        });
    }
    group.finish();
}

criterion_group!(benches, stacks);
criterion_main!(benches);
