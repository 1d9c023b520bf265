//! What holds, as plain words, and a small reader that says whether a deed may be done by them. The same data go
//! to a phone, where `assets/js/gate.js` reads them alike without a line to the server.
//!
//! A fact is a word and what it is about, parted by colons: `off:iso-3`, `done:hall:wired`. In a pattern `*`
//! stands for anything, and `$iso` for one thing that is the same wherever it stands.

use std::collections::BTreeMap;

use serde::Serialize;

use super::rules::Lacks;

/// What holds now, each with its place in the order in which it came to hold.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Facts {
    all: BTreeMap<String, usize>,
    next: usize,
}

/// What stands for something in patterns: its name and what it is.
pub type Placeholders = Vec<(String, String)>;

impl Facts {
    /// Something comes to hold; what holds already keeps its place.
    pub fn add(&mut self, fact: String) {
        let place = self.next;
        self.all.entry(fact).or_insert(place);
        self.next += 1;
    }

    /// Whatever is of this pattern ends.
    pub fn end(&mut self, pattern: &str) {
        let gone: Vec<String> = self.of(pattern, &[]).map(|(fact, ..)| fact.to_owned()).collect();
        for fact in gone {
            self.all.remove(&fact);
        }
    }

    /// Whether it holds, word for word.
    pub fn has(&self, fact: &str) -> bool {
        self.all.contains_key(fact)
    }

    /// In the order in which they came to hold.
    pub fn in_order(&self) -> Vec<&str> {
        let mut all: Vec<(&String, &usize)> = self.all.iter().collect();
        all.sort_by_key(|(_, place)| **place);
        all.into_iter().map(|(fact, _)| fact.as_str()).collect()
    }

    /// The facts of a pattern, each with its place and with what it makes of the names.
    fn of<'a>(
        &'a self,
        pattern: &'a str,
        named: &'a [(String, String)],
    ) -> impl Iterator<Item = (&'a str, usize, Placeholders)> {
        let plain = pattern.find(['$', '*']).map_or(pattern, |at| &pattern[..at]);
        let near =
            self.all.range(plain.to_owned()..).take_while(move |(f, _)| f.starts_with(plain));
        near.filter_map(move |(fact, place)| {
            Some((fact.as_str(), *place, fits(pattern, fact, named)?))
        })
    }

    /// Whether all of these hold at once, under one meaning of the names.
    fn holds(&self, all: &[String], named: &Placeholders) -> bool {
        match all.split_first() {
            None => true,
            Some((first, rest)) => {
                self.of(first, named).any(|(_, _, named)| self.holds(rest, &named))
            }
        }
    }

    /// What the names stand for where all of these hold at once; of several, what came last of the first.
    pub fn newest(&self, all: &[String], named: &Placeholders) -> Option<Placeholders> {
        let (first, rest) = all.split_first()?;
        let mut found: Vec<_> = self.of(first, named).collect();
        found.sort_by_key(|(_, place, _)| std::cmp::Reverse(*place));
        found.into_iter().find_map(|(_, _, named)| match rest {
            [] => Some(named),
            rest => self.newest(rest, &named),
        })
    }
}

/// What a pattern makes of the names where a fact is of it.
fn fits(pattern: &str, fact: &str, named: &[(String, String)]) -> Option<Placeholders> {
    let (mut parts, mut words) = (pattern.split(':'), fact.split(':'));
    let mut named = named.to_vec();
    loop {
        match (parts.next(), words.next()) {
            (None, None) => return Some(named),
            (Some(part), Some(word)) => match part.strip_prefix('$') {
                Some(name) => match named.iter().find(|(n, _)| n == name) {
                    Some((_, is)) if is != word => return None,
                    Some(_) => {}
                    None => named.push((name.to_owned(), word.to_owned())),
                },
                None if part == "*" || part == word => {}
                None => return None,
            },
            _ => return None,
        }
    }
}

/// A name of a person as it stands in a fact.
pub fn plain_name(name: &str) -> String {
    name.trim().to_lowercase().replace([':', '*', '$'], " ")
}

/// A question to the facts.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FactQuery {
    /// Patterns that hold all at once.
    pub all: Vec<String>,
    /// Whether that must not be so.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub not: bool,
}

/// All of these hold at once.
pub(super) fn all<const N: usize>(patterns: [String; N]) -> FactQuery {
    FactQuery { all: patterns.into(), not: false }
}

/// Not all of these hold at once.
pub(super) fn none<const N: usize>(patterns: [String; N]) -> FactQuery {
    FactQuery { all: patterns.into(), not: true }
}

/// What a deed needs.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Need {
    /// What is lacking while it is not so.
    #[serde(skip)]
    pub what: Lacks,
    /// The same in words.
    pub says: String,
    /// It is met where all of one of these are answered with yes; by nothing where there is none.
    pub any: Vec<Vec<FactQuery>>,
    /// Whether a reason overrules it.
    pub yields: bool,
}

/// Something that can be done, with what it needs and what follows from it.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Deed {
    /// Its key, the job's own: `step:hall:wired`, `energise:iso-3`.
    pub key: String,
    /// What the names of its patterns stand for, where these hold; of several, what came last.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub binds: Vec<String>,
    /// What it needs.
    pub needs: Vec<Need>,
    /// What ends by it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub ends: Vec<String>,
    /// What holds after it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub gives: Vec<String>,
    /// What holds where it is done already.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub done: Vec<String>,
}

impl Deed {
    /// What the names of its patterns stand for, for somebody.
    pub fn named(&self, facts: &Facts, me: &str) -> Placeholders {
        let mut named = vec![("me".to_owned(), plain_name(me))];
        if !self.binds.is_empty()
            && let Some(found) = facts.newest(&self.binds, &named)
        {
            named = found;
        }
        named
    }

    /// What it lacks, for somebody.
    pub fn lacks(&self, facts: &Facts, me: &str) -> Vec<&Need> {
        self.lacks_by(facts, &self.named(facts, me))
    }

    /// What it lacks where the names of its patterns stand for these.
    pub fn lacks_by(&self, facts: &Facts, named: &Placeholders) -> Vec<&Need> {
        let yes = |q: &FactQuery| facts.holds(&q.all, named) != q.not;
        let is_met = |need: &&Need| need.any.iter().any(|all| all.iter().all(yes));
        self.needs.iter().filter(|need| !is_met(need)).collect()
    }

    /// Whether it is done already, for somebody.
    pub fn is_done(&self, facts: &Facts, me: &str) -> bool {
        !self.done.is_empty() && facts.holds(&self.done, &self.named(facts, me))
    }

    /// Does it: what ends, and then what holds after it. What names stand for nothing is left alone.
    pub fn take(&self, facts: &mut Facts, named: &Placeholders) {
        for pattern in &self.ends {
            facts.end(&filled(pattern, named));
        }
        for pattern in &self.gives {
            let fact = filled(pattern, named);
            if !fact.contains('$') {
                facts.add(fact);
            }
        }
    }
}

fn filled(pattern: &str, named: &Placeholders) -> String {
    let part = |part: &str| {
        let name = part.strip_prefix('$');
        let is = name.and_then(|name| named.iter().find(|(n, _)| n == name));
        is.map_or_else(|| part.to_owned(), |(_, is)| is.clone())
    };
    pattern.split(':').map(part).collect::<Vec<_>>().join(":")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn facts(all: &[&str]) -> Facts {
        let mut facts = Facts::default();
        for fact in all {
            facts.add((*fact).to_owned());
        }
        facts
    }

    #[test]
    fn a_name_is_one_thing_in_all_patterns_of_a_question() {
        let now = facts(&["off:a", "off:b", "covers:b:hall", "open:a:den"]);
        let both = |x: &str, y: &str| now.holds(&[x.to_owned(), y.to_owned()], &Vec::new());
        assert!(both("off:$iso", "covers:$iso:hall"));
        assert!(!both("open:$iso:den", "covers:$iso:hall"));
        assert!(both("off:*", "covers:*:hall") && !both("off:$iso", "covers:$iso:den"));
    }

    #[test]
    fn of_several_the_last_counts_and_a_prefix_is_no_match() {
        let now = facts(&["off:z", "off:a", "covers:z:hall", "covers:a:hall", "offal:q"]);
        let newest = |all: &[&str]| {
            let all: Vec<String> = all.iter().map(|p| (*p).to_owned()).collect();
            now.newest(&all, &Vec::new()).map(|n| n[0].1.clone())
        };
        assert_eq!(newest(&["off:$iso"]), Some("a".to_owned()));
        assert_eq!(newest(&["off:$iso", "covers:$iso:hall"]), Some("a".to_owned()));
        assert_eq!(newest(&["off:$iso", "covers:$iso:den"]), None);
    }

    #[test]
    fn what_ends_ends_before_what_holds_after() {
        let mut now = facts(&["open:i:a", "open:i:b", "off:i"]);
        let deed = Deed {
            ends: vec!["open:$iso:*".to_owned()],
            gives: vec!["open:$iso:c".to_owned(), "on:$other".to_owned()],
            ..Deed::default()
        };
        deed.take(&mut now, &vec![("iso".to_owned(), "i".to_owned())]);
        assert_eq!(now.in_order(), ["off:i", "open:i:c"]);
    }
}
