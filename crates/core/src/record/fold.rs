//! From entries to how things stand. What speaks against an entry here is said by the record alone: no
//! change of the plan makes power come back to a box that the record knows as open.

use std::sync::Arc;

use super::things::{
    BoxUnder, Done, GaveOut, Handed, Isolation, LineFinding, Mark, OpenTimeId, Step, Stepped,
    SwitchedOn,
};
use super::{Entry, IsolationId, MOST_ENTRIES, Record, What};
use crate::site::kept::Kept;
use crate::site::{DeviceId, Refusal, Wrong};

type Verdict = Result<(), Refusal>;

impl Record {
    /// Adds an entry.
    ///
    /// # Errors
    /// Its shape, or what the record says already, speaks against it; the record is as it was.
    pub fn say(&mut self, entry: Entry) -> Verdict {
        if self.ids.contains_key(&entry.id) {
            return Err(Refusal::wrong("id", Wrong::Twice { id: entry.id.to_string() }));
        }
        if self.len() >= MOST_ENTRIES {
            return Err(Refusal::RecordFull { what: "entries", most: MOST_ENTRIES });
        }
        entry.check()?;
        self.may_stand(&entry)?;
        let place = self.entries.len();
        self.fold(&entry, place);
        self.ids.insert_mut(entry.id.clone(), place);
        self.entries.push_back_mut(Arc::new(entry));
        Ok(())
    }

    fn may_stand(&self, entry: &Entry) -> Verdict {
        match &entry.what {
            What::Isolated(of) => {
                if self.isolations.get(&of.id).is_some() {
                    let id = of.id.to_string();
                    return Err(Refusal::wrong("id", Wrong::Twice { id }));
                }
                room(self.isolations.len(), Isolation::MOST.count, "isolations")?;
                Isolation::begun(of.clone(), &entry.by, entry.said.clone()).check()
            }
            What::TesterShown { isolation, .. } => self.off(isolation).map(|_| ()),
            What::HandedOver { isolation, .. } => self.held_by(isolation, &entry.by).map(|_| ()),
            What::FoundLive(of) => {
                of.isolations.iter().try_for_each(|id| self.force(id).map(|_| ()))
            }
            What::FindingBegun { isolation, .. } => {
                self.off(isolation)?;
                self.may_find(self.held_by(isolation, &entry.by)?)
            }
            What::FindingOver { isolation } if self.force(isolation)?.is_finding() => Ok(()),
            What::FindingOver { .. } => Err(Refusal::wrong("isolation", Wrong::NotFinding)),
            What::Energised { isolation, .. } => {
                self.off(isolation)?;
                let of = self.held_by(isolation, &entry.by)?;
                let open: Vec<&str> =
                    self.open_under(of).iter().map(|(_, b)| b.name.as_str()).collect();
                match open.as_slice() {
                    [] => Ok(()),
                    names => {
                        let boxes = names.join(", ");
                        Err(Refusal::wrong("isolation", Wrong::BoxesOpen { boxes }))
                    }
                }
            }
            What::Stepped(of) => self.may_step(of),
            What::TakenBack { device, step } => self.may_take_back(device, *step),
            What::NetworkOpened(open) => again(&self.open_times, open, "times of standing open"),
            What::NetworkClosed { open, .. } => match self.open(open)?.closed {
                Some(_) => Err(Refusal::wrong("id", Wrong::ShutAlready)),
                None => Ok(()),
            },
            What::RoutesRebuilt { open } => self.open(open).map(|_| ()),
            What::CodeKept(code) => again(&self.join_codes, code, "join codes"),
            What::Joined(j) | What::Tied(j) => again(&self.joinings, j, "records of joining"),
            What::WiredIn(w) => again(&self.wiring_records, w, "records of wiring"),
            What::Read(r) => again(&self.readings, r, "readings"),
            What::Pressed(t) => again(&self.range_tests, t, "tests in place"),
            What::Reported(r) => again(&self.node_reports, r, "reports of nodes"),
            What::Met(f) => again(&self.faults, f, "faults"),
            What::CameBack(b) => again(&self.came_back, b, "things that came back"),
            What::NamesFound(l) => again(&self.name_lists, l, "lists of names"),
            What::RuleTried(t) => anew(&self.rules_tried, t, "trials of rules"),
            What::RoomsAgreed(of) => anew(&self.rooms_agreed, of, "agreements on the rooms"),
            What::GaveOut(of) => self.may_give_out(&of.device),
            What::Agreed(a) => again(&self.acceptances, a, "rules of acceptance"),
            What::Stage(m) => anew(&self.milestones, m, "kept states of the plan"),
            What::OfferSigned(o) => anew(&self.offers_signed, o, "signed offers"),
            What::Signed(s) => anew(&self.sign_offs, s, "signatures"),
            What::Struck { of, .. } => self.may_strike(of),
            What::Ticked { .. }
            | What::Unsettled { .. }
            | What::Cured { .. }
            | What::LinkFollowed { .. } => Ok(()),
        }
    }

    fn isolation(&self, id: &IsolationId) -> Result<&Isolation, Refusal> {
        let none = || Refusal::NotOnRecord { what: "isolation", id: id.to_string() };
        self.isolations.get(id).ok_or_else(none)
    }

    /// An isolation that is in force.
    ///
    /// # Errors
    /// There is none of this id, or it is over.
    pub fn force(&self, id: &IsolationId) -> Result<&Isolation, Refusal> {
        let of = self.isolation(id)?;
        if of.is_in_force() { Ok(of) } else { Err(Refusal::wrong("isolation", Wrong::OnAgain)) }
    }

    /// An isolation in force under which power is not on for finding lines.
    fn off(&self, id: &IsolationId) -> Result<&Isolation, Refusal> {
        let of = self.force(id)?;
        if of.is_finding() { Err(Refusal::wrong("isolation", Wrong::Finding)) } else { Ok(of) }
    }

    /// Power is let in for finding lines where every open box was noted and has nothing wired in it, and none stands open
    /// under another alone.
    fn may_find(&self, of: &Isolation) -> Verdict {
        let own: Vec<&DeviceId> = of.open_boxes().map(|(d, _)| d).collect();
        let is_wired = |d: &DeviceId| self.done(d, Step::Wired).is_some();
        let open = self.open_under(of);
        let is_noted = |d: &DeviceId| self.done(d, Step::Noted).is_some();
        let in_way = open.iter().filter(|(d, _)| !own.contains(d) || is_wired(d) || !is_noted(d));
        let names: Vec<&str> = in_way.map(|(_, b)| b.name.as_str()).collect();
        match (own.is_empty(), names.as_slice()) {
            (true, _) => Err(Refusal::wrong("isolation", Wrong::NothingOpen)),
            (false, []) => Ok(()),
            (false, names) => {
                let boxes = names.join(", ");
                Err(Refusal::wrong("isolation", Wrong::BoxesOpen { boxes }))
            }
        }
    }

    /// An isolation in force, which somebody holds.
    ///
    /// # Errors
    /// There is none of this id, it is over, or another one holds it.
    pub fn held_by(&self, id: &IsolationId, by: &str) -> Result<&Isolation, Refusal> {
        let of = self.force(id)?;
        if Entry::is_name(of.holder(), by) {
            return Ok(of);
        }
        Err(Refusal::wrong("by", Wrong::NotTheirs { holder: of.holder().to_owned() }))
    }

    fn open(&self, id: &OpenTimeId) -> Result<&super::OpenTime, Refusal> {
        let none = || Refusal::NotOnRecord { what: "time of standing open", id: id.to_string() };
        self.open_times.get(id).ok_or_else(none)
    }

    fn may_step(&self, of: &Stepped) -> Verdict {
        if !of.step.is_in_box() {
            return Ok(());
        }
        let named = of.isolation.as_ref();
        let named = named.ok_or_else(|| Refusal::wrong("isolation", Wrong::NotSaid))?;
        let under = self.off(named)?;
        // Closed up it is also where nothing is proved any more, once the whole house is off.
        let is_closed = of.step == Step::PutBack
            && self.in_force().any(|i| i.is_of_whole_house() && i.proven_before.is_some());
        if under.live.contains_key(&of.device) && !is_closed {
            return Err(Refusal::wrong("step", Wrong::FoundLive));
        }
        if of.step == Step::Dead {
            if under.proven_before.is_none() {
                return Err(Refusal::wrong("step", Wrong::TesterNotShown));
            }
            if of.opened.is_none() {
                return Err(Refusal::wrong("opened", Wrong::NotSaid));
            }
            return Ok(());
        }
        match under.boxes.get(&of.device) {
            Some(own) if own.is_proved || is_closed => Ok(()),
            Some(_) => Err(Refusal::wrong("step", Wrong::EnergisedSince)),
            None => Err(Refusal::wrong("step", Wrong::NotProvedDead)),
        }
    }

    /// A unit may be said to have given out while its box is safe: one that stands open is made safe first.
    fn may_give_out(&self, device: &DeviceId) -> Verdict {
        let mut open = self.in_force().flat_map(Isolation::open_boxes);
        match open.find(|(of, _)| *of == device) {
            Some((_, opened)) => {
                let boxes = opened.name.clone();
                Err(Refusal::wrong("device", Wrong::BoxesOpen { boxes }))
            }
            None => Ok(()),
        }
    }

    fn may_take_back(&self, device: &DeviceId, step: Step) -> Verdict {
        let none = || {
            let id = format!("{device} {}", step.word());
            Refusal::NotOnRecord { what: "step", id }
        };
        let done = self.done(device, step).ok_or_else(none)?;
        if !step.makes_safe() {
            return Ok(());
        }
        // With the power on it can only be opened by an isolation of its own.
        match done.isolation.as_ref().and_then(|id| self.isolations.get(id)) {
            Some(under) if under.is_in_force() => Ok(()),
            _ => Err(Refusal::wrong("step", Wrong::PowerIsOn)),
        }
    }

    /// Whether an entry may be struck: what was told may, what hands did may not, but is taken back or followed by
    /// what came of it.
    ///
    /// # Errors
    /// It may not; the words say why.
    pub fn may_strike(&self, id: &super::EntryId) -> Verdict {
        let none = || Refusal::NotOnRecord { what: "entry", id: id.to_string() };
        let of = self.entry(id).ok_or_else(none)?;
        let can_go = matches!(
            of.what,
            What::Read(_)
                | What::Pressed(_)
                | What::Reported(_)
                | What::Met(_)
                | What::CameBack(_)
                | What::NamesFound(_)
                | What::RuleTried(_)
                | What::RoomsAgreed(_)
                | What::Agreed(_)
                | What::WiredIn(_)
                | What::CodeKept(_)
        );
        let stands = self.ids.get(id).is_some_and(|place| self.stands(*place, &of.what));
        match (can_go, stands) {
            (false, _) => Err(Refusal::wrong("of", Wrong::NotStruck)),
            (true, false) => Err(Refusal::wrong("of", Wrong::StruckAlready)),
            (true, true) => Ok(()),
        }
    }

    /// Whether a thing counts as an entry told of it.
    fn stands(&self, place: usize, what: &What) -> bool {
        let told = match what {
            What::Read(r) => self.readings.entry_of(r.id.as_str()),
            What::Pressed(t) => self.range_tests.entry_of(t.id.as_str()),
            What::Reported(r) => self.node_reports.entry_of(r.id.as_str()),
            What::Met(f) => self.faults.entry_of(f.id.as_str()),
            What::CameBack(b) => self.came_back.entry_of(b.id.as_str()),
            What::NamesFound(l) => self.name_lists.entry_of(l.id.as_str()),
            What::RuleTried(t) => self.rules_tried.entry_of(t.id.as_str()),
            What::RoomsAgreed(of) => self.rooms_agreed.entry_of(of.id.as_str()),
            What::Agreed(a) => self.acceptances.entry_of(a.id.as_str()),
            What::WiredIn(w) => self.wiring_records.entry_of(w.id.as_str()),
            What::CodeKept(c) => self.join_codes.entry_of(c.id.as_str()),
            _ => return !self.struck.contains_key(&place),
        };
        told == Some(place)
    }

    fn fold(&mut self, entry: &Entry, place: usize) {
        match &entry.what {
            What::Isolated(of) => {
                let begun = Isolation::begun(of.clone(), &entry.by, entry.said.clone());
                self.isolations.put(place, begun);
            }
            What::TesterShown { isolation, after } => self.with(isolation, place, |i| {
                let shown = if *after { &mut i.proven_after } else { &mut i.proven_before };
                *shown = Some(entry.said.clone());
            }),
            What::HandedOver { isolation, to } => self.with(isolation, place, |i| {
                i.handed.push(Handed { to: to.trim().to_owned(), at: entry.said.clone() });
            }),
            What::Energised { isolation, why } => self.with(isolation, place, |i| {
                let (by, at) = (entry.by.clone(), entry.said.clone());
                i.energised = Some(SwitchedOn { by, at, why: why.clone() });
            }),
            What::FoundLive(found) => {
                // "Proved dead" counts no longer; a box that was opened stays as open as it was.
                self.unmark(&found.device, &[Step::Dead]);
                for id in &found.isolations {
                    self.with(id, place, |i| {
                        i.live.insert(found.device.clone(), found.clone());
                    });
                }
            }
            What::FindingBegun { isolation, .. } => self.find(isolation, entry, place),
            What::FindingOver { isolation } => self.with(isolation, place, |i| {
                if let Some(last) = i.findings.last_mut() {
                    last.over = Some(Handed { to: entry.by.clone(), at: entry.said.clone() });
                }
            }),
            What::Ticked { device, step, check, on } => self.mark_with(device, *step, |mark| {
                if *on {
                    mark.checks.insert(check.clone());
                } else {
                    mark.checks.remove(check);
                }
            }),
            What::Stepped(of) => self.step(of, entry, place),
            What::TakenBack { device, step } => self.take_back(device, *step, place),
            What::Unsettled { devices, .. } => {
                for device in devices {
                    self.unmark(device, &[Step::Tested]);
                    self.stale.insert_mut(device.clone(), place);
                }
            }
            What::CodeKept(code) => self.join_codes.put(place, code.clone()),
            What::NetworkOpened(open) => self.open_times.put(place, open.clone()),
            What::NetworkClosed { open, why } => {
                if let Some(mut of) = self.open_times.get(open).cloned() {
                    of.closed = Some(entry.said.clone());
                    of.closed_by.clone_from(&entry.by);
                    of.closed_without.clone_from(why);
                    self.open_times.put(place, of);
                }
            }
            What::RoutesRebuilt { open } => {
                if let Some(mut of) = self.open_times.get(open).cloned() {
                    of.rebuilt = Some(entry.said.clone());
                    self.open_times.put(place, of);
                }
            }
            What::Joined(joining) | What::Tied(joining) => {
                self.joinings.put(place, joining.clone());
            }
            What::WiredIn(wiring) => self.wiring_records.put(place, wiring.clone()),
            What::Read(reading) => self.readings.put(place, reading.clone()),
            What::Pressed(test) => self.range_tests.put(place, test.clone()),
            What::Reported(report) => self.node_reports.put(place, report.clone()),
            What::Met(fault) => self.faults.put(place, fault.clone()),
            What::CameBack(back) => self.came_back.put(place, back.clone()),
            What::NamesFound(list) => self.name_lists.put(place, list.clone()),
            What::RuleTried(tried) => self.rules_tried.put(place, tried.clone()),
            What::RoomsAgreed(of) => self.rooms_agreed.put(place, of.clone()),
            What::Agreed(rule) => self.acceptances.put(place, rule.clone()),
            What::Stage(milestone) => self.milestones.put(place, milestone.clone()),
            What::OfferSigned(offer) => self.offers_signed.put(place, offer.clone()),
            What::Signed(sign) => self.sign_offs.put(place, sign.clone()),
            What::LinkFollowed { .. } => {}
            What::Cured { device, what } => self.set_aside(device, what, entry),
            What::GaveOut(of) => self.give_out(of, entry, place),
            What::Struck { of, .. } => {
                if let Some(struck) = self.ids.get(of).copied() {
                    self.struck.insert_mut(struck, place);
                    self.strike(struck);
                }
            }
        }
    }

    /// Power is on for finding lines: no proof counts any longer, neither of the boxes nor of the tester.
    fn find(&mut self, id: &IsolationId, entry: &Entry, place: usize) {
        let Some(of) = self.isolations.get(id) else { return };
        let open: Vec<DeviceId> = of.open_boxes().map(|(device, _)| device.clone()).collect();
        for device in &open {
            self.unmark(device, &[Step::Dead]);
        }
        self.with(id, place, |i| {
            i.boxes.values_mut().for_each(|b| b.is_proved = false);
            (i.proven_before, i.proven_after) = (None, None);
            let (by, at) = (entry.by.clone(), entry.said.clone());
            i.findings.push(LineFinding { by, at, over: None });
        });
        // What stands open under another beside it was live as well.
        let beside: Vec<IsolationId> = self.in_force().map(|i| i.of.id.clone()).collect();
        for other in beside.into_iter().filter(|other| other != id) {
            self.with(&other, place, |i| {
                for (_, b) in i.boxes.iter_mut().filter(|(d, _)| open.contains(d)) {
                    b.is_proved = false;
                }
            });
        }
    }

    fn with(&mut self, id: &IsolationId, place: usize, change: impl FnOnce(&mut Isolation)) {
        if let Some(mut of) = self.isolations.get(id).cloned() {
            change(&mut of);
            self.isolations.put(place, of);
        }
    }

    fn mark_with(&mut self, device: &DeviceId, step: Step, change: impl FnOnce(&mut Mark)) {
        let mut of = self.marks.get(device).cloned().unwrap_or_default();
        change(of.entry(step).or_default());
        self.marks.insert_mut(device.clone(), of);
    }

    /// Takes steps away with what was looked at for them: they are done anew.
    fn unmark(&mut self, device: &DeviceId, steps: &[Step]) {
        if let Some(mut of) = self.marks.get(device).cloned() {
            of.retain(|step, _| !steps.contains(step));
            self.marks.insert_mut(device.clone(), of);
        }
    }

    fn step(&mut self, of: &Stepped, entry: &Entry, place: usize) {
        let (device, step) = (&of.device, of.step);
        if matches!(step, Step::Closed | Step::PutBack) {
            self.left_open.remove_mut(device);
        }
        if step.puts_hands_in_box() {
            // Whoever works in a box has it open: what said that it was safe counts no longer.
            let anew: Vec<Step> =
                Step::ALL.into_iter().filter(|s| s.makes_safe() || s.is_done_anew()).collect();
            self.unmark(device, &anew);
        }
        if let Some(id) = of.isolation.as_ref().filter(|_| step.is_in_box()) {
            self.with(id, place, |under| {
                if step == Step::Dead {
                    // Its check says that the tester was shown to work again.
                    under.proven_after = Some(entry.said.clone());
                    if let Some(opened) = &of.opened {
                        let opened =
                            BoxUnder { of: opened.clone(), is_safe: false, is_proved: true };
                        under.boxes.insert(device.clone(), opened);
                    }
                }
                if let Some(own) = under.boxes.get_mut(device) {
                    own.is_safe = step.makes_safe();
                }
            });
            if step == Step::Dead {
                self.proved_under_others(device, id, place);
            }
            if step.makes_safe() {
                // It is one box, under however many isolations it was opened.
                self.close_under_others(device, id, place);
            }
        }
        self.mark_with(device, step, |mark| {
            mark.checks.clone_from(&of.checks);
            mark.done = Some(Done {
                at: entry.said.clone(),
                by: entry.by.clone(),
                isolation: of.isolation.clone(),
                why: of.why.clone(),
                entry: place,
            });
        });
    }

    /// It is one box, under however many isolations it stands open: dead is dead.
    fn proved_under_others(&mut self, device: &DeviceId, but: &IsolationId, place: usize) {
        let is_open = |i: &&Isolation| i.boxes.get(device).is_some_and(|b| !b.is_proved);
        let others = self.in_force().filter(|i| i.of.id != *but).filter(is_open);
        let others: Vec<IsolationId> = others.map(|i| i.of.id.clone()).collect();
        for other in others {
            self.with(&other, place, |i| {
                if let Some(own) = i.boxes.get_mut(device) {
                    own.is_proved = true;
                }
            });
        }
    }

    fn close_under_others(&mut self, device: &DeviceId, but: &IsolationId, place: usize) {
        let others = self.in_force().filter(|i| i.of.id != *but && i.boxes.contains_key(device));
        let others: Vec<IsolationId> = others.map(|i| i.of.id.clone()).collect();
        for other in others {
            self.with(&other, place, |i| {
                i.boxes.remove(device);
            });
        }
    }

    fn take_back(&mut self, device: &DeviceId, step: Step, place: usize) {
        let under = self.done(device, step).and_then(|done| done.isolation.clone());
        self.unmark(device, &[step]);
        if step == Step::Joined {
            self.unjoined.insert_mut(device.clone(), place);
        }
        if let Some(id) = under.filter(|_| step.makes_safe()) {
            self.with(&id, place, |under| {
                if let Some(own) = under.boxes.get_mut(device) {
                    own.is_safe = false;
                }
            });
        }
        // "Proved dead" that was taken back leaves the box as open as it was: somebody says that it is safe.
    }

    fn set_aside(&mut self, device: &DeviceId, what: &str, entry: &Entry) {
        let when = entry.said.get(..16).unwrap_or(&entry.said).replace('T', " ");
        let own = self
            .readings
            .numbered()
            .filter(|(_, r)| (r.from == *device || r.to == *device) && r.superseded.is_empty());
        let own: Vec<_> = own.map(|(told, r)| (told, r.clone())).collect();
        for (told, mut reading) in own {
            reading.superseded = format!("before {when}: {what}");
            self.readings.put(told, reading);
        }
    }

    /// Another unit takes the place of a dead one: nothing that was done on that one is done on this. How it was set stays.
    fn give_out(&mut self, of: &GaveOut, entry: &Entry, place: usize) {
        if self.is_in_hand(&of.device) {
            self.left_open.insert_mut(of.device.clone(), ());
        }
        self.marks.remove_mut(&of.device);
        self.gave_out.insert_mut(of.device.clone(), place);
        for device in of.hung.iter().chain([&of.device]) {
            self.unmark(device, &[Step::Tested]);
            self.stale.insert_mut(device.clone(), place);
        }
        self.set_aside(&of.device, &of.why, entry);
        let kept = self.wiring_records.iter().find(|r| r.device == of.device).cloned();
        if let Some(mut kept) = kept {
            kept.connected.values_mut().for_each(|c| c.done = false);
            self.wiring_records.put(place, kept);
        }
    }

    fn strike(&mut self, place: usize) {
        let Some(entry) = self.entries.get(place).cloned() else { return };
        match &entry.what {
            What::Read(r) => self.readings.strike(r.id.as_str()),
            What::Pressed(t) => self.range_tests.strike(t.id.as_str()),
            What::Reported(r) => self.node_reports.strike(r.id.as_str()),
            What::Met(f) => self.faults.strike(f.id.as_str()),
            What::CameBack(b) => self.came_back.strike(b.id.as_str()),
            What::NamesFound(l) => self.name_lists.strike(l.id.as_str()),
            What::RuleTried(t) => self.rules_tried.strike(t.id.as_str()),
            What::RoomsAgreed(of) => self.rooms_agreed.strike(of.id.as_str()),
            What::Agreed(a) => self.acceptances.strike(a.id.as_str()),
            What::WiredIn(w) => self.wiring_records.strike(w.id.as_str()),
            What::CodeKept(c) => self.join_codes.strike(c.id.as_str()),
            _ => {}
        }
    }
}

fn room(count: usize, most: usize, what: &'static str) -> Verdict {
    if count < most { Ok(()) } else { Err(Refusal::RecordFull { what, most }) }
}

/// A thing that may be told of once more, as a correction.
fn again<T: Kept>(log: &super::Log<T>, thing: &T, what: &'static str) -> Verdict {
    match log.get(thing.id()) {
        Some(_) => Ok(()),
        None => room(log.len(), T::MOST.count, what),
    }
}

/// A thing that is told of once.
fn anew<T: Kept>(log: &super::Log<T>, thing: &T, what: &'static str) -> Verdict {
    match log.get(thing.id()) {
        Some(_) => Err(Refusal::wrong("id", Wrong::Twice { id: thing.id().to_string() })),
        None => room(log.len(), T::MOST.count, what),
    }
}
