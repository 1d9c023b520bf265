//! The fields of a thing as the job file writes it: reading, setting and comparing them by their
//! way, such as `sheet.tx_dbm`.

use serde_json::{Map, Value};

/// What stands at a field; nothing where nothing does.
pub fn value_at<'a>(value: &'a Value, field: &str) -> Option<&'a Value> {
    field.split('.').try_fold(value, |holder, step| match holder {
        Value::Array(items) => items.get(step.parse::<usize>().ok()?),
        _ => holder.get(step),
    })
}

/// Units as they end the name of a field, and as people write them.
const UNITS: [(&str, &str); 13] = [
    ("_m", "m"),
    ("_mm", "mm"),
    ("_mm2", "mm²"),
    ("_ml", "ml"),
    ("_db", "dB"),
    ("_dbm", "dBm"),
    ("_mhz", "MHz"),
    ("_w", "W"),
    ("_v", "V"),
    ("_a", "A"),
    ("_s", "s"),
    ("_min", "min"),
    ("_deg", "°"),
];

/// The name of a field as people read it: `sheet.tx_dbm` is “sheet tx (dBm)”.
pub fn field_in_words(field: &str) -> String {
    if field == "at" {
        return "place".to_owned();
    }
    let unit = UNITS.iter().find_map(|(end, unit)| Some((field.strip_suffix(end)?, unit)));
    let words = |name: &str| name.replace(['_', '.'], " ");
    unit.map_or_else(|| words(field), |(name, unit)| format!("{} ({unit})", words(name)))
}

/// What stands at a field, or a whole thing where none is named, as people read it where two are held against
/// each other.
pub fn in_words(value: Option<&Value>, field: Option<&str>) -> String {
    match value {
        None | Some(Value::Null) if field.is_some() => "left blank".to_owned(),
        None | Some(Value::Null) => "gone".to_owned(),
        Some(Value::Bool(is)) => if *is { "yes" } else { "no" }.to_owned(),
        Some(Value::String(text)) => format!("“{text}”"),
        Some(Value::Object(_)) => "there".to_owned(),
        Some(Value::Array(place)) if field == Some("at") && place.len() == 2 => {
            format!("{} m right, {} m down", place[0], place[1])
        }
        Some(other) => other.to_string(),
    }
}

/// What a thing holds at a field as it is set: of a set's word whether it is there.
pub(super) fn held(value: &Value, field: &str, sets: &[&str]) -> Option<Value> {
    for set in sets {
        if let Some(word) = field.strip_prefix(set).and_then(|rest| rest.strip_prefix('.')) {
            let words = value_at(value, set).and_then(Value::as_array);
            return Some(Value::Bool(words.is_some_and(|all| all.iter().any(|w| w == word))));
        }
    }
    value_at(value, field).filter(|v| !v.is_null()).cloned()
}

/// Sets a field, or takes it away. A step into a list is a place in it, from 0; a step into a set of
/// words (`sets`) adds or takes that word. False when the way leads through something that has no
/// such part.
pub(crate) fn set(value: &mut Value, field: &str, to: Value, sets: &[&str]) -> bool {
    let in_set =
        |set: &&str| field.strip_prefix(*set)?.strip_prefix('.').filter(|w| !w.contains('.'));
    if let Some((set, word)) = sets.iter().find_map(|set| Some((*set, in_set(set)?))) {
        return set_word(value, set, word, &to);
    }
    let (way, last) = field.rsplit_once('.').map_or((None, field), |(w, l)| (Some(w), l));
    let mut holder = value;
    for step in way.into_iter().flat_map(|way| way.split('.')) {
        let Some(inner) = part(holder, step) else { return false };
        holder = inner;
    }
    match holder {
        Value::Object(fields) if to.is_null() => {
            fields.remove(last);
        }
        Value::Object(fields) => {
            fields.insert(last.to_owned(), to);
        }
        Value::Array(items) => {
            let Some(place) = last.parse().ok().filter(|place| *place < items.len()) else {
                return false;
            };
            if to.is_null() {
                items.remove(place);
            } else {
                items[place] = to;
            }
        }
        _ => return false,
    }
    true
}

/// A part of what holds others, made where an object lacks it.
fn part<'a>(holder: &'a mut Value, step: &str) -> Option<&'a mut Value> {
    match holder {
        Value::Array(items) => items.get_mut(step.parse::<usize>().ok()?),
        Value::Object(fields) => {
            let inner = fields.entry(step).or_insert(Value::Null);
            if inner.is_null() {
                *inner = Value::Object(Map::new());
            }
            Some(inner)
        }
        _ => None,
    }
}

fn set_word(value: &mut Value, set: &str, word: &str, to: &Value) -> bool {
    let wanted = match to {
        Value::Bool(wanted) => *wanted,
        Value::Null => false,
        _ => return false,
    };
    let (way, last) = set.rsplit_once('.').map_or((None, set), |(w, l)| (Some(w), l));
    let mut holder = value;
    for step in way.into_iter().flat_map(|way| way.split('.')) {
        let Some(inner) = part(holder, step) else { return false };
        holder = inner;
    }
    let Some(fields) = holder.as_object_mut() else { return false };
    let words = fields.entry(last).or_insert_with(|| Value::Array(Vec::new()));
    let Some(words) = words.as_array_mut() else { return false };
    words.retain(|w| w != word);
    if wanted {
        words.push(word.into());
    }
    true
}

/// Calls `visit` with each field that differs, and what it holds in `old` (nothing: `null`).
pub(super) fn differences(
    old: &Value,
    new: &Value,
    sets: &[&str],
    wholes: &[&str],
    visit: &mut dyn FnMut(String, Value),
) {
    let (Some(a), Some(b)) = (old.as_object(), new.as_object()) else { return };
    for field in a.keys().chain(b.keys().filter(|key| !a.contains_key(*key))) {
        let (was, is) = (a.get(field), b.get(field));
        if sets.contains(&field.as_str()) {
            words_that_differ(field, was, is, visit);
        } else if was == is {
        } else if wholes.contains(&field.as_str()) {
            visit(field.clone(), was.cloned().unwrap_or(Value::Null));
        } else if let (Some(Value::Object(_)), Some(Value::Object(_))) = (was, is) {
            let (was, is) = (was.unwrap_or(&Value::Null), is.unwrap_or(&Value::Null));
            differences(was, is, &[], &[], &mut |inner, value| {
                visit(format!("{field}.{inner}"), value);
            });
        } else {
            visit(field.clone(), was.cloned().unwrap_or(Value::Null));
        }
    }
}

fn words_that_differ(
    field: &str,
    was: Option<&Value>,
    is: Option<&Value>,
    visit: &mut dyn FnMut(String, Value),
) {
    let words = |set: Option<&Value>| -> Vec<String> {
        let all = set.and_then(Value::as_array).into_iter().flatten();
        all.filter_map(|w| w.as_str().map(str::to_owned)).collect()
    };
    let (was, is) = (words(was), words(is));
    for word in &was {
        if !is.contains(word) {
            visit(format!("{field}.{word}"), Value::Bool(true));
        }
    }
    for word in is.iter().filter(|word| !was.contains(word)) {
        visit(format!("{field}.{word}"), Value::Bool(false));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_differs_can_be_set_back() {
        let old =
            json!({"name": "A", "sheet": {"tx_dbm": 4.0}, "done": ["code"], "at": [1.0, 2.0]});
        let mut new = json!({"name": "B", "sheet": {"tx_dbm": 8.0, "antenna_db": 1.0}, "done": ["wired"], "at": [1.0, 3.0], "room": "Hall"});
        let mut back = Vec::new();
        differences(&old, &new, &["done"], &[], &mut |field, value| back.push((field, value)));
        let fields: Vec<_> = back.iter().map(|(field, _)| field.as_str()).collect();
        let want =
            ["at", "done.code", "done.wired", "name", "sheet.tx_dbm", "sheet.antenna_db", "room"];
        assert_eq!(fields, want);
        for (field, value) in back {
            assert!(set(&mut new, &field, value, &["done"]), "{field}");
        }
        assert_eq!(new, old);
    }

    #[test]
    fn a_field_is_told_with_its_unit_and_a_place_by_its_ways() {
        for (field, words) in [
            ("height_m", "height (m)"),
            ("sheet.tx_dbm", "sheet tx (dBm)"),
            ("box.volume_ml", "box volume (ml)"),
            ("at", "place"),
            ("found_by", "found by"),
        ] {
            assert_eq!(field_in_words(field), words);
        }
        let at = json!([1.25, 3]);
        assert_eq!(in_words(Some(&at), Some("at")), "1.25 m right, 3 m down");
        assert_eq!(in_words(None, Some("mounting")), "left blank");
        assert_eq!(in_words(None, None), "gone");
    }

    #[test]
    fn a_way_through_a_number_leads_nowhere() {
        assert!(!set(&mut json!({"height_m": 1.0}), "height_m.metres", json!(2.0), &[]));
        assert!(!set(&mut json!({"at": [1.0, 2.0]}), "at.2", json!(2.0), &[]));
        assert_eq!(value_at(&json!({"a": {"b": 1}}), "a.b"), Some(&json!(1)));
    }

    #[test]
    fn a_place_in_a_list_is_set_and_taken_out() {
        let mut wall = json!({"a": [1.0, 2.0], "openings": [{"id": "o1"}, {"id": "o2"}]});
        assert!(set(&mut wall, "a.1", json!(3.0), &[]));
        assert!(set(&mut wall, "openings.1.width_m", json!(0.9), &[]));
        assert!(set(&mut wall, "openings.0", Value::Null, &[]));
        assert_eq!(wall, json!({"a": [1.0, 3.0], "openings": [{"id": "o2", "width_m": 0.9}]}));
        assert_eq!(value_at(&wall, "openings.0.id"), Some(&json!("o2")));
    }
}
