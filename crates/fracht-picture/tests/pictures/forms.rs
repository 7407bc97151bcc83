//! What is written of a picture: SVG, PNG, DOT, Mermaid, boxes.

use fracht_picture::diagram::{LinkKind, NodeKind};
use fracht_picture::{By, Choice, Diagram, Layout, Theme, dot, mermaid, png, svg, terminal};
use proptest::prelude::*;
use resvg::tiny_skia::Pixmap;
use resvg::usvg::roxmltree::Document;
use unicode_width::UnicodeWidthStr as _;

use crate::made_up::{stack, tables};
use crate::{checked, diagram};

/// Writes a diagram in both graph languages into the folder that `FRACHT_GRAPHS` names, for what draws them.
fn keep(diagram: &Diagram, name: &str) {
    if let Some(folder) = std::env::var_os("FRACHT_GRAPHS").map(std::path::PathBuf::from) {
        std::fs::write(folder.join(format!("{name}.dot")), dot(diagram)).unwrap();
        std::fs::write(folder.join(format!("{name}.mmd")), mermaid(diagram)).unwrap();
    }
}

fn boxes(diagram: &Diagram, width: usize, is_unicode: bool) -> Vec<String> {
    let lines = terminal(diagram, width, is_unicode);
    lines.into_iter().map(|line| line.into_iter().map(|(text, _)| text).collect()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// Every service, task, way in, shared volume and use is in every form.
    #[test]
    fn nothing_is_missing_in_any_form((count, parts) in stack()) {
        let stack = tables(count, &parts).concat();
        let diagram = diagram(&stack, "prod", By::Network);
        let layout = Layout::of(&diagram);
        let picture = svg(&diagram, &layout, Theme::Dark);
        let document = Document::parse(&picture).unwrap();
        let texts: Vec<&str> = document
            .descendants()
            .filter(|node| node.has_tag_name("text"))
            .filter_map(|node| node.last_child()?.text())
            .collect();
        let (graph, chart) = (dot(&diagram), mermaid(&diagram));
        keep(&diagram, &format!("made-up-{}", parts.len()));
        let wide = boxes(&diagram, 100, true).join("\n");
        // Addresses continue on the next line.
        let narrow: String =
            boxes(&diagram, 46, true).concat().chars().filter(|c| !c.is_whitespace() && *c != '│').collect();
        for node in &diagram.nodes {
            let shown = texts.contains(&node.name.as_str());
            prop_assert!(shown, "{} is not in the SVG", node.name);
            for (form, text) in [("DOT", &graph), ("Mermaid", &chart)] {
                prop_assert!(text.contains(&node.name), "{} is not in the {form}", node.name);
            }
            prop_assert!(narrow.contains(&node.name.replace(' ', "")), "{} is not in the boxes", node.name);
        }
        // Each line is drawn once, and has an arrow.
        let solid = |kind: &LinkKind| matches!(kind, LinkKind::Opens | LinkKind::Uses);
        let links = diagram.links.len();
        prop_assert_eq!(graph.matches(" -> ").count(), links);
        let arrows = ["-->", "-.->", "---", "==>"].map(|arrow| chart.matches(&format!(" {arrow}")).count());
        prop_assert_eq!(arrows.iter().sum::<usize>(), links);
        let rows = diagram.links.iter().filter(|link| link.kind == LinkKind::Uses).count();
        prop_assert_eq!(wide.matches("│ → ").count(), rows);
        prop_assert!(diagram.links.iter().filter(|link| solid(&link.kind)).count() <= links);
    }

    /// Boxes fit every width, with characters beyond ASCII and without.
    #[test]
    fn boxes_fit_the_terminal((count, parts) in stack(), width in 32_usize..160) {
        let stack = tables(count, &parts).concat();
        let diagram = diagram(&stack, "desk", By::Network);
        for is_unicode in [true, false] {
            for line in boxes(&diagram, width, is_unicode) {
                prop_assert!(line.width() <= width, "{width}: {line}");
                prop_assert!(is_unicode || line.is_ascii(), "{line}");
            }
        }
        // The frames of boxes side by side end at the same columns.
        let wide = boxes(&diagram, width, true);
        for pair in wide.windows(2).filter(|pair| pair[0].starts_with('┌') && pair[1].starts_with('│')) {
            let ends = |line: &str, ends: [char; 2]| -> Vec<usize> {
                let found = line.char_indices().filter(|(_, c)| ends.contains(c));
                found.map(|(at, _)| line[..at].width()).collect()
            };
            let (first, second) = (ends(&pair[0], ['┌', '┐']), ends(&pair[1], ['│', '│']));
            prop_assert!(second.iter().all(|at| first.contains(at)), "{}\n{}", pair[0], pair[1]);
        }
    }
}

/// Where the layout has a text, the raster image has its color: a font that is not found leaves it out in silence.
#[test]
fn texts_of_a_raster_image_have_ink() {
    let stack = "[stack]\nname = \"s\"\ntitle = \"Žižkov データ\"\n[network.n]\nclosed = true\n[service.api]\n\
                 image = \"registry.example/api:1.0\"\nnetwork = [\"n\"]\nreplicas = 3\n\
                 port.http = { number = 80, reach = \"node\" }\n[service.web]\nnetwork = [\"n\"]\n\
                 image = \"registry.example/web:2.0\"\nenv.A = \"{service.api/http}\"\n";
    for (theme, ink) in [(Theme::Light, [0x16, 0x20, 0x2c]), (Theme::Dark, [0xee, 0xf2, 0xf6])] {
        let diagram = diagram(stack, "cluster", By::Network);
        let layout = Layout::of(&diagram);
        let png = png(&diagram, &layout, theme).unwrap();
        assert_eq!(png.missing.iter().collect::<String>(), "タデー");
        assert_eq!(png.bytes, fracht_picture::png(&diagram, &layout, theme).unwrap().bytes);
        let image = Pixmap::decode_png(&png.bytes).unwrap();
        let scale = f64::from(image.width()) / layout.width;
        let mut names = 0;
        for label in layout.cards.iter().flat_map(|card| &card.labels) {
            let rect = label.rect();
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "pixels")]
            let at = |value: f64| (value * scale) as u32;
            let pixels = (at(rect.y)..at(rect.bottom()))
                .flat_map(|y| (at(rect.x)..at(rect.right())).map(move |x| (x, y)))
                .filter_map(|(x, y)| image.pixel(x, y));
            let colors: std::collections::BTreeSet<[u8; 3]> =
                pixels.map(|pixel| [pixel.red(), pixel.green(), pixel.blue()]).collect();
            // A text is drawn in more than the color behind it.
            assert!(colors.len() > 8, "nothing is drawn of `{}`", label.text);
            names += usize::from(colors.contains(&ink));
        }
        assert!(names >= 2, "no text has the color of texts");
    }
}

#[test]
fn texts_that_look_like_markup_are_only_texts() {
    let stack = "[stack]\nname = \"end\"\ntitle = '<b>&\"x\"</b> \\n; #quot; | `a`'\n\
                 [service.end]\nimage = \"registry.example/end:1.0\"\nport.end = 80\n\
                 [service.graph]\nimage = \"registry.example/graph:1.0\"\nenv.A = \"{service.end/end}\"\n\
                 [outside.subgraph]\nhost = \"end.example\"\nport.class = 443\n";
    let diagram = diagram(stack, "cluster", By::Network);
    keep(&diagram, "markup");
    let picture = svg(&diagram, &Layout::of(&diagram), Theme::Light);
    let document = Document::parse(&picture).unwrap();
    let title =
        document.descendants().filter_map(|node| node.text()).any(|text| text.contains("<b>&\"x\"</b>"));
    assert!(title && document.root_element().attribute("role") == Some("img"));
    let words: Vec<String> = mermaid(&diagram)
        .lines()
        .flat_map(|line| line.split_whitespace().map(str::to_owned).take(1))
        .collect();
    assert!(words.iter().all(|word| word != "end" && !word.starts_with("graph")), "{words:?}");
    assert!(dot(&diagram).starts_with("digraph \"end\" {"));
}

/// A volume of several services has a box of its own, one of a single service is a row in its box.
#[test]
fn shared_volumes_have_boxes() {
    let stack = "[stack]\nname = \"s\"\n[volume.own]\nsize = \"1Gi\"\n[volume.all]\nsize = \"2Gi\"\naccess = \"many-nodes\"\n\
                 [service.a]\nimage = \"registry.example/a:1.0\"\nmount.\"/o\" = \"volume.own\"\nmount.\"/a\" = \"volume.all\"\n\
                 [service.b]\nimage = \"registry.example/b:1.0\"\nmount.\"/a\" = \"volume.all\"\n";
    let diagram = diagram(stack, "cluster", By::Network);
    let volumes: Vec<&str> = diagram
        .nodes
        .iter()
        .filter(|node| node.kind == NodeKind::Volume)
        .map(|node| node.name.as_str())
        .collect();
    assert_eq!(volumes, ["all"]);
    assert_eq!(diagram.links.iter().filter(|link| link.kind == LinkKind::Mounts).count(), 2);
    let rows = diagram.nodes.iter().flat_map(|node| &node.rows);
    assert_eq!(rows.map(|row| format!("{} {}", row.name, row.more)).collect::<Vec<_>>(), ["own 1Gi"]);
}

/// A link to an external service leads to the port that the address names.
#[test]
fn ports_of_external_services_are_told_apart() {
    let stack = "[stack]\nname = \"s\"\n[outside.o]\nhost = \"o.example\"\nport.a = 1\nport.b = 2\n[service.s]\n\
                 image = \"registry.example/s:1.0\"\nenv.B = \"{outside.o/b}\"\n";
    let diagram = diagram(stack, "cluster", By::Network);
    assert_eq!(diagram.links.iter().map(|link| link.port).collect::<Vec<_>>(), [Some(1)]);
    let outside = diagram.nodes.iter().find(|node| node.kind == NodeKind::Outside).unwrap();
    assert_eq!(outside.ports.iter().map(|port| port.used).collect::<Vec<_>>(), [false, true]);
}

/// A part of a stack has the colors of the whole.
#[test]
fn networks_keep_their_colors() {
    let stack = "[stack]\nname = \"s\"\n[network.a]\n[network.b]\n[service.one]\nimage = \"registry.example/a:1.0\"\n\
                 network = [\"a\"]\n[service.two]\nimage = \"registry.example/a:1.0\"\nnetwork = [\"b\"]\n";
    let facts = checked(stack, "cluster").facts;
    let (two, _) = facts.model.workloads.entries().find(|(_, one)| &*one.name == "two").unwrap();
    let part = Diagram::of(&facts, &Choice { only: Some(two), ..Choice::default() });
    let whole = Diagram::of(&facts, &Choice::default());
    assert_eq!((part.groups.len(), part.groups[0].color), (1, whole.groups[1].color));
    assert!(svg(&part, &Layout::of(&part), Theme::Light).contains("#94681a"));
}
