//! The rules of a job alone, out and in, as JSON: `docs/ANALYSE.md` has the fields.

use dot_reach_core::site::{Edit, Rule, Site, apply};
use serde_json::{Value, json};

use crate::{ImportFinding, Imported};

/// What the file says of itself.
const FORMAT: &str = "dot-reach-rules";
/// The largest file.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;

/// The rules of a job.
pub fn write(site: &Site) -> Value {
    json!({ "format": FORMAT, "version": 1, "rules": site.rules.iter().collect::<Vec<_>>() })
}

/// The edits that bring the rules of a file in: each in place of the one of its id. What cannot stand in this job is left
/// out and said.
pub fn read(site: &Site, text: &str) -> Imported<Vec<Edit>> {
    let mut findings = Vec::new();
    let mut say = |place: String, reason: String| findings.push(ImportFinding { place, reason });
    let file: Value = match serde_json::from_str(text) {
        Ok(file) => file,
        Err(error) => {
            say("the file".to_owned(), format!("it is no JSON: {error}"));
            Value::Null
        }
    };
    let rules = match (file["format"].as_str(), &file["rules"]) {
        (Some(FORMAT), Value::Array(rules)) => rules.clone(),
        _ if file.is_null() => Vec::new(),
        _ => {
            say(
                "the file".to_owned(),
                format!("it is no list of rules: “format” is “{FORMAT}” in one"),
            );
            Vec::new()
        }
    };
    let (mut trial, mut edits) = (site.clone(), Vec::new());
    // A scene stands before what calls it.
    let mut waiting: Vec<(String, Rule)> = Vec::new();
    for (n, value) in rules.into_iter().enumerate() {
        let id = value["id"].as_str().map(str::to_owned);
        let place = id.map_or_else(|| format!("rule {}", n + 1), |id| format!("rule {id}"));
        match serde_json::from_value::<Rule>(value) {
            Ok(rule) => waiting.push((place, rule)),
            Err(error) => say(place, error.to_string()),
        }
    }
    loop {
        let before = waiting.len();
        let mut refused = Vec::new();
        for (place, rule) in waiting {
            let edit = Edit::put(rule.clone());
            match apply(&mut trial, &edit) {
                Ok(_) => edits.push(edit),
                Err(why) => refused.push((place, rule, why)),
            }
        }
        if refused.len() == before || refused.is_empty() {
            for (place, _, why) in refused {
                say(place, why.to_string());
            }
            return Imported { value: edits, findings };
        }
        waiting = refused.into_iter().map(|(place, rule, _)| (place, rule)).collect();
    }
}

#[cfg(test)]
mod tests {
    use dot_reach_standin::houses::larkfield_mill;

    use super::*;

    #[test]
    fn rules_come_back_as_they_went_out_scenes_before_what_calls_them() {
        let mill = larkfield_mill();
        let text = write(&mill).to_string();
        let mut bare = mill.clone();
        // What calls a scene goes with it.
        let ids: Vec<_> = mill.rules.iter().map(|rule| rule.id.clone()).collect();
        for id in &ids {
            let _gone = apply(&mut bare, &Edit::remove(dot_reach_core::site::Kind::Rule, id));
        }
        assert!(bare.rules.is_empty());
        let Imported { value, findings } = read(&bare, &text);
        assert_eq!(findings, []);
        for edit in &value {
            assert!(apply(&mut bare, edit).is_ok());
        }
        assert_eq!(write(&bare), write(&mill));
    }

    #[test]
    fn what_cannot_stand_is_left_out_and_said() {
        let mill = larkfield_mill();
        let of = |text: &str| {
            let Imported { value, findings } = read(&mill, text);
            (value.len(), findings.into_iter().map(|f| f.reason).collect::<Vec<_>>().join(" "))
        };
        assert!(of("{").1.contains("no JSON"));
        assert!(of("{\"rules\": []}").1.contains("no list of rules"));
        let rule = |id: &str, device: &str| json!({"id": id, "when": {"on": "time", "at": "20:00"}, "does": [{"what": {"device": device}, "to": "on"}]});
        let file = json!({"format": FORMAT, "version": 1, "rules": [rule("good", "mesh-liv-lamp"), rule("bad", "nobody"),
            {"id": "worse", "when": {"on": "time", "at": "noon"}}]});
        let (taken, said) = of(&file.to_string());
        assert_eq!(taken, 1);
        assert!(said.contains("nobody") && said.contains("no time of day"), "{said}");
    }
}
