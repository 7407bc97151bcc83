//! The places of everything in a picture.

use fracht_picture::diagram::NodeKind;
use fracht_picture::layout::{Card, Label, Rect};
use fracht_picture::{By, Choice, Diagram, Layout, Theme, svg};
use proptest::prelude::*;

use crate::made_up::{stack, tables};
use crate::{checked, diagram};

/// How many made-up stacks are drawn; `PROPTEST_CASES` says another number, as the gate does.
fn cases() -> ProptestConfig {
    let mut config = ProptestConfig::default();
    if std::env::var_os("PROPTEST_CASES").is_none() {
        config.cases = 100;
    }
    config
}

/// A little smaller on all sides: what only touches does not count as an overlap.
fn smaller(rect: &Rect) -> Rect {
    Rect { x: rect.x + 0.2, y: rect.y + 0.2, width: rect.width - 0.4, height: rect.height - 0.4 }
}

fn larger(rect: &Rect, by: f64) -> Rect {
    Rect { x: rect.x - by, y: rect.y - by, width: rect.width + 2.0 * by, height: rect.height + 2.0 * by }
}

fn holds(rect: &Rect, (x, y): (f64, f64)) -> bool {
    rect.x < x && x < rect.right() && rect.y < y && y < rect.bottom()
}

/// What is wrong with the places of a picture.
pub(crate) fn wrong(diagram: &Diagram, layout: &Layout) -> Vec<String> {
    let mut wrong = Vec::new();
    let name = |node: usize| diagram.nodes[node].name.clone();
    let cards = &layout.cards;
    assert_eq!((cards.len(), layout.lines.len()), (diagram.nodes.len(), diagram.links.len()));
    let whole = Rect { x: 0.0, y: 0.0, width: layout.width, height: layout.height };
    for (index, card) in cards.iter().enumerate() {
        if !whole.contains(&card.outer()) {
            wrong.push(format!("{} is not in the picture", name(index)));
        }
        let is_inside = !matches!(diagram.nodes[index].kind, NodeKind::WayIn | NodeKind::Outside);
        if is_inside != layout.frame.contains(&card.outer()) {
            wrong.push(format!("{} is on the wrong side of the frame", name(index)));
        }
        for (other, _) in cards
            .iter()
            .enumerate()
            .skip(index + 1)
            .filter(|(_, other)| card.outer().overlaps(&other.outer()))
        {
            wrong.push(format!("{} lies on {}", name(index), name(other)));
        }
        for (number, label) in card.labels.iter().enumerate() {
            if !larger(&card.rect, -2.0).contains(&label.rect()) {
                wrong.push(format!("`{}` is not in {}", label.text, name(index)));
            }
            for next in &card.labels[number + 1..] {
                if smaller(&label.rect()).overlaps(&next.rect()) {
                    wrong.push(format!("`{}` lies on `{}`", label.text, next.text));
                }
            }
        }
        assert_eq!(card.ports.len(), diagram.nodes[index].ports.len());
    }
    let tabs: Vec<Rect> = layout.areas.iter().map(|area| area.tab).collect();
    for (index, tab) in tabs.iter().enumerate() {
        let area = &layout.areas[index];
        let label = &area.label;
        if !tab.contains(&label.rect()) || !area.rect.contains(tab) || !layout.frame.contains(&area.rect) {
            wrong.push(format!("the tab `{}` is not where it should be", label.text));
        }
        wrong.extend(
            cards
                .iter()
                .filter(|card| card.outer().overlaps(tab))
                .map(|_| format!("a box lies on `{}`", label.text)),
        );
        wrong.extend(
            tabs[index + 1..]
                .iter()
                .filter(|other| other.overlaps(tab))
                .map(|_| "two tabs overlap".to_owned()),
        );
    }
    free_texts(layout, &tabs, &mut wrong);
    areas(diagram, layout, &mut wrong);
    lines(diagram, layout, &tabs, &mut wrong);
    wrong
}

/// Texts outside of boxes are apart from boxes, tabs and each other.
fn free_texts(layout: &Layout, tabs: &[Rect], wrong: &mut Vec<String>) {
    let samples = layout.legend.iter().map(|(rect, _)| *rect);
    let boxes: Vec<Rect> =
        layout.cards.iter().map(Card::outer).chain(tabs.iter().copied()).chain(samples).collect();
    let whole = Rect { x: 0.0, y: 0.0, width: layout.width, height: layout.height };
    for (index, label) in layout.labels.iter().enumerate() {
        let rect = smaller(&label.rect());
        if !whole.contains(&rect) {
            wrong.push(format!("`{}` is not in the picture", label.text));
        }
        if boxes.iter().any(|other| other.overlaps(&rect)) {
            wrong.push(format!("`{}` lies on something", label.text));
        }
        if let Some(other) = layout.labels[index + 1..].iter().find(|other| other.rect().overlaps(&rect)) {
            wrong.push(format!("`{}` lies on `{}`", label.text, other.text));
        }
    }
}

/// The areas of a network cover its members and nothing else.
fn areas(diagram: &Diagram, layout: &Layout, wrong: &mut Vec<String>) {
    for (group, network) in diagram.groups.iter().enumerate() {
        let areas: Vec<_> = layout.areas.iter().filter(|area| area.group == group).collect();
        assert_eq!(areas.is_empty(), layout.has_chips, "{}", network.name);
        for (card, node) in layout.cards.iter().zip(&diagram.nodes) {
            let is_member = node.groups.contains(&group);
            if layout.has_chips {
                let has_chip = card.chips.iter().any(|(_, own)| *own == group);
                assert_eq!(has_chip, is_member, "{} {}", node.name, network.name);
                continue;
            }
            let inside = areas.iter().any(|area| area.rect.contains(&card.outer()));
            let touched = areas.iter().any(|area| area.rect.overlaps(&card.outer()));
            if inside != is_member || touched != is_member {
                wrong.push(format!("{}: {} in network {}", node.name, inside, network.name));
            }
        }
    }
}

/// Lines end at their boxes and rows, and touch no other box and no tab.
fn lines(diagram: &Diagram, layout: &Layout, tabs: &[Rect], wrong: &mut Vec<String>) {
    for line in &layout.lines {
        let link = &diagram.links[line.link];
        let words = format!("{} to {}", diagram.nodes[link.from].name, diagram.nodes[link.to].name);
        let (from, to) = (&layout.cards[link.from], &layout.cards[link.to]);
        let (first, last) = (line.points[0], line.points[line.points.len() - 1]);
        let near = |a: f64, b: f64| (a - b).abs() < 0.01;
        let row = link.port.map_or(to.middle, |port| to.ports[port]);
        let is_right = if line.is_back {
            near(first.0, to.rect.right()) && near(first.1, row) && near(last.0, from.rect.x)
        } else {
            near(first.0, from.rect.right()) && near(last.0, to.rect.x) && near(last.1, row)
        };
        let ends =
            [(if line.is_back { to } else { from }, first), (if line.is_back { from } else { to }, last)];
        let meets = ends.iter().all(|(card, (_, y))| card.rect.y < *y && *y < card.rect.bottom());
        if !is_right || !meets {
            wrong.push(format!("{words} does not end where it should"));
        }
        if line.points.windows(2).any(|pair| pair[0].0 >= pair[1].0) {
            wrong.push(format!("{words} does not lead to a higher column"));
        }
        for point in line.samples() {
            if let Some(node) = (0..layout.cards.len())
                .filter(|node| *node != link.from && *node != link.to)
                .find(|node| holds(&larger(&layout.cards[*node].outer(), 1.0), point))
            {
                wrong.push(format!("{words} passes through {}", diagram.nodes[node].name));
                break;
            }
            // The second card behind the first one is a part of its box.
            if [from, to].iter().any(|card| holds(&smaller(&card.rect), point)) {
                wrong.push(format!("{words} passes through its own end"));
                break;
            }
            if tabs.iter().any(|tab| holds(tab, point)) {
                wrong.push(format!("{words} passes over a tab"));
                break;
            }
        }
    }
}

/// What is wrong with the pictures of a stack; empty if nothing is.
fn misplaced(stack: &str, by: By) -> String {
    let of_target = |target: &str| {
        let diagram = diagram(stack, target, by);
        let wrong = wrong(&diagram, &Layout::of(&diagram));
        if wrong.is_empty() { String::new() } else { format!("{target}: {wrong:#?}\n{stack}") }
    };
    ["prod", "desk"].map(of_target).concat()
}

proptest! {
    #![proptest_config(cases())]

    #[test]
    fn everything_has_a_place_of_its_own((count, parts) in stack()) {
        prop_assert_eq!(misplaced(&tables(count, &parts).concat(), By::Network), "");
    }

    #[test]
    fn everything_has_a_place_of_its_own_by_wave((count, parts) in stack()) {
        prop_assert_eq!(misplaced(&tables(count, &parts).concat(), By::Wave), "");
    }

    /// The order of the tables in the file says nothing about the picture.
    #[test]
    fn another_order_of_tables_gives_the_same_picture((count, parts) in stack()) {
        let mut all = tables(count, &parts);
        let draw = |all: &[String]| {
            let diagram = diagram(&all.concat(), "prod", By::Network);
            svg(&diagram, &Layout::of(&diagram), Theme::Light)
        };
        let first = draw(&all);
        prop_assert_eq!(&first, &draw(&all));
        all.reverse();
        prop_assert_eq!(&first, &draw(&all));
    }
}

/// A part of a stack, around one of its services, is as well placed as the whole.
#[test]
fn a_service_with_its_neighbors() {
    let stack = fracht_testkit::generator::stack(60);
    let verdict = checked(&stack, "cluster");
    let model = &verdict.facts.model;
    for (id, workload) in model.workloads.entries().skip(10).take(12) {
        let diagram = Diagram::of(&verdict.facts, &Choice { only: Some(id), ..Choice::default() });
        let services = diagram.nodes.iter().filter(|node| node.kind == NodeKind::Service);
        let number = id.index();
        let expected = 1 + usize::from(number % 10 != 0) + usize::from(number % 10 != 9);
        assert_eq!(services.count(), expected, "{}", workload.name);
        assert!(
            diagram.notes[0].starts_with(&format!("{} of 60 services", 60 - expected)),
            "{:?}",
            diagram.notes
        );
        assert_eq!(wrong(&diagram, &Layout::of(&diagram)), [""; 0]);
    }
}

/// A text that is cut shows how it begins and ends, and keeps the whole text beside it.
#[test]
fn long_texts_are_cut() {
    let long = "x".repeat(200);
    let stack = format!(
        "[stack]\nname = \"s\"\ntitle = \"{long}\"\n[service.a]\nimage = \"registry.example/{long}:1.0\"\n"
    );
    let diagram = diagram(&stack, "cluster", By::Network);
    let layout = Layout::of(&diagram);
    assert_eq!(wrong(&diagram, &layout), [""; 0]);
    let cut: Vec<&Label> =
        layout.cards[0].labels.iter().chain(&layout.labels).filter(|label| label.whole.is_some()).collect();
    assert_eq!(cut.len(), 2);
    assert!(
        cut.iter().all(|label| label.text.contains('…') && label.whole.as_ref().unwrap().contains(&long))
    );
}
