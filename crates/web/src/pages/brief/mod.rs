//! The brief: what the whole job rests on.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::PLANNING_SIGMA;
use dot_reach_core::radio::region::REGIONS;
use dot_reach_core::radio::system::{RULES, System};
use dot_reach_core::site::{Network, Site};

use crate::door::Job;
use crate::error::WebError;
use crate::pages::{Shell, html};

#[derive(Template)]
#[template(path = "brief/page.html")]
struct Page {
    shell: Shell,
    name: String,
    client: String,
    address: String,
    note: String,
    regions: Vec<Choice>,
    confidences: Vec<Choice>,
    systems: Vec<SystemRow>,
    networks: Vec<NetworkForm>,
    kinds: Vec<Choice>,
}

struct NetworkForm {
    id: String,
    name: String,
    system: &'static str,
    channel: String,
    has_channel: bool,
    limits: Vec<LimitField>,
    devices: usize,
}

struct LimitField {
    name: &'static str,
    text: &'static str,
    value: String,
    usual: String,
}

struct Choice {
    value: String,
    text: String,
    chosen: bool,
}

struct SystemRow {
    name: &'static str,
    frequency: String,
    hops: usize,
    repeaters: usize,
    devices: usize,
    source: &'static str,
}

fn network_form(site: &Site, network: &Network) -> NetworkForm {
    let (rule, own) = (network.system.rule(), &network.limits);
    let field = |name, text, own: Option<usize>, usual: Option<usize>| LimitField {
        name,
        text,
        value: own.map(|v| v.to_string()).unwrap_or_default(),
        usual: usual.map(|v| v.to_string()).unwrap_or_default(),
    };
    let fields = [
        field("limits.most_hops", "Hops", own.most_hops, Some(rule.most_hops)),
        field("limits.most_devices", "Devices a hub", own.most_devices, Some(rule.most_devices)),
        field("limits.most_repeaters", "Repeaters", own.most_repeaters, rule.most_repeaters),
        field("limits.most_routers", "Routers", own.most_routers, rule.most_routers),
        field(
            "limits.children_of_hub",
            "Children of hub",
            own.children_of_hub,
            rule.children_of_hub,
        ),
        field(
            "limits.children_of_router",
            "Children of router",
            own.children_of_router,
            rule.children_of_router,
        ),
    ];
    NetworkForm {
        id: network.id.to_string(),
        name: network.name.clone(),
        system: rule.name,
        channel: network.channel.map(|c| c.to_string()).unwrap_or_default(),
        has_channel: rule.channels.is_some(),
        limits: fields.into_iter().filter(|f| !f.usual.is_empty()).collect(),
        devices: site.devices.iter().filter(|d| d.network == network.id).count(),
    }
}

#[get("/jobs/{job}/brief")]
pub(crate) async fn show(job: Job) -> Result<HttpResponse, WebError> {
    let shell = job.shell("Brief");
    let site = Arc::clone(&job.site);
    let fields = &site.job;
    let regions = REGIONS.iter().filter_map(|r| {
        let value = serde_json::to_value(r.region).ok()?.as_str()?.to_owned();
        Some(Choice { value, text: r.name.to_owned(), chosen: r.region == fields.region })
    });
    let confidences = [0.9, 0.95, 0.99].map(|p| {
        let (percent, sure) = (p * 100.0, dot_reach_core::confidence::Confidence::new(p));
        let target = sure.map(|c| c.target_margin(PLANNING_SIGMA)).unwrap_or_default();
        Choice {
            value: p.to_string(),
            text: format!("{percent:.0} %: {target} of margin on every hop"),
            chosen: (fields.confidence.get() - p).abs() < 1e-9,
        }
    });
    let systems = RULES.iter().map(|rule| SystemRow {
        name: rule.name,
        frequency: format!("{:.2}", fields.region.frequency(rule.system, None)),
        hops: rule.most_hops,
        repeaters: rule.most_hops - 1,
        devices: rule.most_devices,
        source: rule.source,
    });
    html(&Page {
        shell,
        name: fields.name.clone(),
        client: fields.client.clone(),
        address: fields.address.clone(),
        note: fields.note.clone(),
        regions: regions.collect(),
        confidences: confidences.into_iter().collect(),
        systems: systems.collect(),
        networks: site.networks.iter().map(|n| network_form(&site, n)).collect(),
        kinds: System::ALL
            .iter()
            .filter_map(|s| {
                let value = serde_json::to_value(s).ok()?.as_str()?.to_owned();
                Some(Choice { value, text: s.name().to_owned(), chosen: false })
            })
            .collect(),
    })
}
