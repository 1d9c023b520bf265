//! The demo houses are whole and show what they are meant to show.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::network::Band;
use dot_reach_standin::houses::larkfield_mill;

#[test]
fn nothing_of_the_mill_is_refused() {
    let (site, refused) = larkfield_mill::planned();
    assert_eq!(refused, Vec::<String>::new());
    assert!(site.points.len() >= 50, "{} points", site.points.len());
}

#[test]
fn the_mill_has_its_troubles() {
    let site = Arc::new(larkfield_mill());
    let analysis = analyse(&site, &Options::default());
    for n in &analysis.networks {
        println!("== {} {} links", n.name, n.links.all.len());
        for (node, o) in n.nodes.iter().zip(&n.outcomes) {
            let via: Vec<_> = o
                .hops
                .iter()
                .map(|h| format!("{}({:.0}/{:.0})", h.to, h.margin_out.get(), h.margin_back.get()))
                .collect();
            println!(
                "{:14} {:18} {:6} {} | {}",
                node.device.as_str(),
                node.role.role.name(),
                o.band.name(),
                via.join(" "),
                o.reason
            );
        }
    }
    for f in &analysis.findings {
        println!("{:?} {}", f.weight, f.text);
    }
    for r in &site.readings {
        println!("{} {} {} {}", r.id, r.from, r.to, r.rssi_dbm);
    }
    let all = || analysis.networks.iter().flat_map(|n| &n.outcomes);
    assert!(all().any(|o| o.band == Band::Out));
}
