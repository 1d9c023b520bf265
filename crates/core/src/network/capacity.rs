//! Which parent takes which end device, when parents take only so many.

/// Assigns each child to one of its parents so that as many as possible are taken, and among those
/// assignments the sum of costs is the least: minimum-cost flow by successive shortest paths.
///
/// `wishes[c]` lists the parents that child `c` could have, each with a cost; `places[p]` is how
/// many children parent `p` takes. The answer holds each child's parent; ties fall to the earlier
/// child and parent.
pub fn assign(wishes: &[Vec<(usize, u32)>], places: &[usize]) -> Vec<Option<usize>> {
    let mut parent_of: Vec<Option<usize>> = vec![None; wishes.len()];
    let mut taken: Vec<Vec<usize>> = vec![Vec::new(); places.len()];
    while let Some(path) = cheapest_path(wishes, places, &parent_of, &taken) {
        // Each step moves a child to a parent; the last parent had room.
        for (moved, to) in path {
            if let Some(from) = parent_of[moved].replace(to) {
                taken[from].retain(|c| *c != moved);
            }
            taken[to].push(moved);
        }
    }
    parent_of
}

/// Seats as many children as can be, where some `kept` their seats and may leave them only for others:
/// augmenting paths from each child without a seat. `rooms[p]` is how many parent `p` takes.
pub fn seat(
    kept: Vec<Option<usize>>,
    rooms: &[usize],
    takes: impl Fn(usize, usize) -> bool,
) -> Vec<Option<usize>> {
    let mut seats = kept;
    let mut under: Vec<Vec<usize>> = vec![Vec::new(); rooms.len()];
    for (child, seat) in seats.iter_mut().enumerate() {
        *seat = seat.filter(|p| under[*p].len() < rooms[*p]);
        if let Some(parent) = *seat {
            under[parent].push(child);
        }
    }
    for child in 0..seats.len() {
        if seats[child].is_none() {
            let mut tried = vec![false; rooms.len()];
            let _no_seat_left = find_seat(child, rooms, &takes, &mut seats, &mut under, &mut tried);
        }
    }
    seats
}

fn find_seat(
    child: usize,
    rooms: &[usize],
    takes: &impl Fn(usize, usize) -> bool,
    seats: &mut [Option<usize>],
    under: &mut [Vec<usize>],
    tried: &mut [bool],
) -> bool {
    for parent in 0..rooms.len() {
        if rooms[parent] == 0 || tried[parent] || !takes(child, parent) {
            continue;
        }
        tried[parent] = true;
        let has_room = under[parent].len() < rooms[parent]
            || under[parent]
                .clone()
                .into_iter()
                .any(|other| find_seat(other, rooms, takes, seats, under, tried));
        if has_room {
            if let Some(from) = seats[child].replace(parent) {
                under[from].retain(|c| *c != child);
            }
            under[parent].push(child);
            return true;
        }
    }
    false
}

fn cost(wishes: &[Vec<(usize, u32)>], child: usize, parent: usize) -> i64 {
    wishes[child].iter().find(|(p, _)| *p == parent).map_or(0, |(_, c)| i64::from(*c))
}

/// Bellman and Ford over parents: of all chains of moves that start at a child without a parent and
/// end where there is room, the cheapest.
fn cheapest_path(
    wishes: &[Vec<(usize, u32)>],
    places: &[usize],
    parent_of: &[Option<usize>],
    taken: &[Vec<usize>],
) -> Option<Vec<(usize, usize)>> {
    let mut so_far: Vec<Option<(i64, usize)>> = vec![None; places.len()];
    let waiting = (0..wishes.len()).filter(|c| parent_of[*c].is_none());
    for (child, &(parent, c)) in waiting.flat_map(|c| wishes[c].iter().map(move |w| (c, w))) {
        let c = i64::from(c);
        if so_far[parent].is_none_or(|(known, _)| c < known) {
            so_far[parent] = Some((c, child));
        }
    }
    let mut changed = true;
    while changed {
        changed = false;
        for full in 0..places.len() {
            let Some((here, _)) = so_far[full] else { continue };
            if taken[full].len() < places[full] {
                continue;
            }
            for &child in &taken[full] {
                for &(to, c) in &wishes[child] {
                    if to == full {
                        continue;
                    }
                    let there = here - cost(wishes, child, full) + i64::from(c);
                    if so_far[to].is_none_or(|(known, _)| there < known) {
                        (so_far[to], changed) = (Some((there, child)), true);
                    }
                }
            }
        }
    }
    let (mut at, _) = so_far
        .iter()
        .enumerate()
        .filter(|(p, _)| taken[*p].len() < places[*p])
        .filter_map(|(p, found)| Some((p, found.as_ref()?.0)))
        .min_by_key(|(_, cost)| *cost)?;
    let mut path = Vec::new();
    loop {
        let (_, moved) = so_far[at]?;
        path.push((moved, at));
        match parent_of[moved] {
            Some(before) => at = before,
            None => return Some(path),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Every assignment, one child after the other.
    fn by_trying_all(
        wishes: &[Vec<(usize, u32)>],
        places: &mut Vec<usize>,
        child: usize,
    ) -> (usize, u32) {
        if child == wishes.len() {
            return (0, 0);
        }
        let mut best = by_trying_all(wishes, places, child + 1);
        for &(parent, cost) in &wishes[child] {
            if places[parent] == 0 {
                continue;
            }
            places[parent] -= 1;
            let (count, sum) = by_trying_all(wishes, places, child + 1);
            places[parent] += 1;
            let here = (count + 1, sum + cost);
            if here.0 > best.0 || here.0 == best.0 && here.1 < best.1 {
                best = here;
            }
        }
        best
    }

    proptest! {
        #[test]
        fn the_assignment_is_as_good_as_the_best_of_all(
            wishes in prop::collection::vec(prop::collection::btree_map(0..4usize, 1..9u32, 0..4), 0..7),
            places in prop::collection::vec(0..3usize, 4),
        ) {
            let wishes: Vec<Vec<_>> = wishes.into_iter().map(|w| w.into_iter().collect()).collect();
            let found = assign(&wishes, &places);
            let (mut count, mut sum) = (0, 0);
            let mut used = [0; 4];
            for (child, parent) in found.iter().enumerate() {
                let Some(parent) = parent else { continue };
                let wish = wishes[child].iter().find(|(p, _)| p == parent);
                prop_assert!(wish.is_some());
                used[*parent] += 1;
                (count, sum) = (count + 1, sum + wish.map_or(0, |w| w.1));
            }
            prop_assert!(used.iter().zip(&places).all(|(u, p)| u <= p));
            prop_assert_eq!((count, sum), by_trying_all(&wishes, &mut places.clone(), 0));
        }
    }

    #[test]
    fn a_full_parent_hands_a_child_on() {
        // Both children like parent 0 best; it has one place, and only the first can go elsewhere.
        let wishes = vec![vec![(0, 1), (1, 2)], vec![(0, 1)]];
        assert_eq!(assign(&wishes, &[1, 1]), [Some(1), Some(0)]);
    }
}
