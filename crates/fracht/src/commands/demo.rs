//! `fracht demo`

use std::fs;
use std::io;
use std::path::Path;

use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use fracht_engine::stand_in::{Server, StandIn};

use super::{
    check, diff, draw, images, order, output, ports, reach, render, show, start, state, stop, trace,
};
use crate::cli::{
    Check, Demo, Diff, Draw, Format, Images, MachineChoice, Order, Output, PlanChoice, Ports, Reach, Render,
    Show, StackChoice, Start, State, Stop, TargetChoice, Trace,
};
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;
use crate::{secrets, write};

/// The files of the demo stack, by their paths in its folder.
const FILES: &[(&str, &str)] = &[
    ("fracht.toml", include_str!("../demo/fracht.toml")),
    ("forecast/Containerfile", include_str!("../demo/forecast/Containerfile")),
    ("forecast/forecast", include_str!("../demo/forecast/forecast")),
    // It has another name in the source tree, so that no tool applies it there.
    ("forecast/.frachtignore", include_str!("../demo/forecast/frachtignore")),
    ("conf/model.env", include_str!("../demo/conf/model.env")),
    ("conf/stations.csv", include_str!("../demo/conf/stations.csv")),
];

pub(crate) fn run(args: &Demo, ui: &mut Ui) -> Result<Outcome, Failure> {
    let dir = &args.dir;
    write_files(dir)?;
    let shown = escaped_path(dir);
    ui.result(&format!("Created the demo stack in {shown}. Start with {shown}/fracht.toml.\n"))?;
    let stack = || StackChoice { stack: Some(dir.clone()), ..StackChoice::default() };
    let prod = || TargetChoice { target: Some("prod".into()) };
    let plan = |target| PlanChoice { stack: stack(), target, ..PlanChoice::default() };
    let laptop = || TargetChoice { target: Some("laptop".into()) };

    ui.command(&format!("fracht check --stack {shown}"))?;
    check::run(&Check { stack: stack(), ..Check::default() }, ui)?;
    ui.command(&format!("fracht order --stack {shown} -t prod"))?;
    order::run(&Order { plan: plan(prod()), ..Order::default() }, ui)?;
    ui.command(&format!("fracht ports --stack {shown} -t laptop"))?;
    ports::run(&Ports { plan: plan(laptop()), ..Ports::default() }, ui)?;
    ui.command(&format!("fracht ports --stack {shown} -t prod"))?;
    ports::run(&Ports { plan: plan(prod()), ..Ports::default() }, ui)?;
    ui.command(&format!("fracht reach --stack {shown} -t prod"))?;
    reach::run(&Reach { plan: plan(prod()), ..Reach::default() }, ui)?;
    ui.command(&format!("fracht show --stack {shown} -t prod"))?;
    show::run(&Show { plan: plan(prod()), ..Show::default() }, ui)?;
    ui.command(&format!("fracht show --stack {shown} api -t prod"))?;
    let workload = Some("api".to_owned());
    show::run(&Show { workload, plan: plan(prod()) }, ui)?;
    ui.command(&format!("fracht images --stack {shown} -t prod"))?;
    images::run(&Images { plan: plan(prod()), ..Images::default() }, ui)?;
    ui.command(&format!("fracht draw --stack {shown} -t prod"))?;
    let picture = || Draw { stack: stack(), target: prod(), ..Draw::default() };
    draw::run(&picture(), ui)?;
    let svg = dir.join("tidedesk.svg");
    ui.command(&format!("fracht draw --stack {shown} -t prod --out {}", escaped_path(&svg)))?;
    draw::run(&Draw { out: Some(svg), ..picture() }, ui)?;
    let staging = || TargetChoice { target: Some("staging".into()) };
    ui.command(&format!("fracht diff --stack {shown} -t staging --against prod"))?;
    let staged = Diff {
        stack: stack(),
        target: staging(),
        against: "prod".into(),
        secrets: false,
        format: Format::Text,
    };
    diff::run(&staged, ui)?;
    let path = "service.api.env.LOG_LEVEL".to_owned();
    ui.command(&format!("fracht trace --stack {shown} {path} -t prod"))?;
    trace::run(&Trace { stack: stack(), path, target: prod(), format: Format::Text }, ui)?;
    let out = dir.join("objects");
    ui.command(&format!("fracht render --stack {shown} -t prod --out {}", escaped_path(&out)))?;
    render::run(&Render { stack: stack(), target: prod(), out: Some(out), ..Render::default() }, ui)?;
    on_machine(dir, ui)
}

/// Runs the stack on a stand-in for a container engine.
fn on_machine(dir: &Path, ui: &mut Ui) -> Result<Outcome, Failure> {
    let unusable = |error: io::Error| {
        let message = format!("cannot serve the stand-in for an engine: {}", reason(&error));
        Failure::new(message, "the folder for temporary files must be writable")
    };
    let socket = std::env::temp_dir().join(format!("fracht-demo-{}.sock", std::process::id()));
    let server = Server::start(&StandIn::default(), &socket).map_err(unusable)?;
    secrets::make_up(&[("TIDEDESK_DB_PASSWORD", "gull-and-kelp"), ("TIDEDESK_BUOY_TOKEN", "tern-and-skua")]);
    let machine = || MachineChoice {
        stack: StackChoice { stack: Some(dir.to_owned()), ..StackChoice::default() },
        target: TargetChoice { target: Some("laptop".into()) },
        engine: Some(server.path().to_owned()),
    };
    let shown = escaped_path(dir);
    ui.result(
        "\nThe last commands run the stack on this machine. Here they have a stand-in for its container engine,\n\
         and made-up secrets: nothing really runs.\n",
    )?;
    let line = |command: &str| format!("FRACHT_ENGINE=stand-in fracht {command} --stack {shown} -t laptop");
    ui.command(&line("start"))?;
    let start = Start { machine: machine(), is_practice: true, ..Start::default() };
    ui.quietly(|ui| start::run(&start, ui))?;
    ui.command(&line("state"))?;
    state::run(&State { machine: machine(), ..State::default() }, ui)?;
    ui.command(&line("output gateway gauge"))?;
    let names = vec!["gateway".to_owned(), "gauge".to_owned()];
    output::run(&Output { names, machine: machine(), ..Output::default() }, ui)?;
    ui.command(&line("stop"))?;
    let stop = Stop { machine: machine(), ..Stop::default() };
    ui.quietly(|ui| stop::run(&stop, ui))
}

/// Writes the files of the demo. If a file already exists with different content, nothing is written.
fn write_files(dir: &Path) -> Result<(), Failure> {
    for (name, content) in FILES {
        let path = dir.join(name);
        match fs::read(&path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Ok(there) if there == content.as_bytes() => {}
            _ => {
                let message = format!("`{}` already exists with different content", escaped_path(&path));
                return Err(Failure::new(
                    message,
                    "nothing was written; choose another folder: `fracht demo DIR`",
                ));
            }
        }
    }
    let missing: Vec<(&Path, &[u8])> = FILES
        .iter()
        .filter(|(name, _)| dir.join(name).symlink_metadata().is_err())
        .map(|(name, content)| (Path::new(*name), content.as_bytes()))
        .collect();
    write::new_files(dir, &missing).map_err(|(path, error)| {
        let message = format!("cannot write `{}`: {}", escaped_path(&path), reason(&error));
        Failure::new(message, "choose another folder: `fracht demo DIR`")
    })
}
