//! The problem of the least that is enough, freed of houses: one hub site is chosen of several, repeaters
//! are chosen of candidates, and every device must be reached over so many hops at the most, some of them
//! by two routes that share nothing.

/// What a node of the problem may do.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum NodeUse {
    /// A place where the hub could stand; exactly one is chosen.
    HubSite {
        /// What it costs to put the hub there.
        cost: f64,
    },
    /// A hub that stands where it stands, beside the one that is chosen.
    Hub,
    /// A repeater that may be bought.
    Candidate {
        /// What it costs.
        cost: f64,
    },
    /// Forwards already.
    Existing,
    /// Does not forward.
    Device,
}

/// A device that must be reached.
#[derive(Clone, Debug, PartialEq)]
pub struct Demand {
    /// Its node.
    pub node: usize,
    /// The most hops of its routes.
    pub most_hops: usize,
    /// Whether it needs two routes that share nothing between.
    pub two_routes: bool,
    /// A candidate that would stand in its place: with that, a route to the candidate is one to it.
    pub instead: Option<usize>,
}

/// At most so many of some candidates.
#[derive(Clone, Debug, PartialEq)]
pub struct Quota {
    /// The candidates.
    pub of: Vec<usize>,
    /// How many of them may be chosen.
    pub most: usize,
}

/// The problem.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Problem {
    /// What each node may do.
    pub parts: Vec<NodeUse>,
    /// The nodes that each could hear and be heard by, in rising order.
    pub near: Vec<Vec<usize>>,
    /// What each node lives on: two routes share nothing when no node between shares this.
    pub feeds: Vec<usize>,
    /// Who must be reached.
    pub demands: Vec<Demand>,
    /// How many candidates may be chosen.
    pub limits: Vec<Quota>,
}

impl Problem {
    /// One more node, which shares nothing with others.
    pub fn add(&mut self, part: NodeUse) -> usize {
        let node = self.parts.len();
        self.parts.push(part);
        self.near.push(Vec::new());
        self.feeds.push(node);
        node
    }

    /// Two nodes that hear each other; said twice it is one link.
    pub fn link(&mut self, a: usize, b: usize) {
        if a == b {
            return;
        }
        for (from, to) in [(a, b), (b, a)] {
            if let Err(at) = self.near[from].binary_search(&to) {
                self.near[from].insert(at, to);
            }
        }
    }

    /// The places where the hub could stand.
    pub fn hub_sites(&self) -> Vec<usize> {
        let is_site = |n: &usize| matches!(self.parts[*n], NodeUse::HubSite { .. });
        (0..self.parts.len()).filter(is_site).collect()
    }

    /// The repeaters that could be bought.
    pub fn candidates(&self) -> Vec<usize> {
        let is_candidate = |n: &usize| matches!(self.parts[*n], NodeUse::Candidate { .. });
        (0..self.parts.len()).filter(is_candidate).collect()
    }

    /// What choosing a node costs.
    pub fn cost(&self, node: usize) -> f64 {
        match self.parts[node] {
            NodeUse::HubSite { cost } | NodeUse::Candidate { cost } => cost,
            _ => 0.0,
        }
    }
}

/// What is known of an answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Status {
    /// Everybody is reached, and nothing cheaper does it.
    Optimal,
    /// Everybody is reached; whether for less was not settled in the time.
    Feasible,
    /// Not everybody is reached; where that is proven, nobody more can be, whatever is bought.
    Infeasible,
}

/// What is to be bought.
#[derive(Clone, Debug, PartialEq)]
pub struct Solution {
    /// What is known of it.
    pub status: Status,
    /// Whether nothing better is left: of the least cost, and where not everybody can be reached, with
    /// the most that can.
    pub is_proven: bool,
    /// What it costs, the hub site included.
    pub cost: f64,
    /// No answer that reaches as many costs less than this.
    pub bound: f64,
    /// Where the hub stands.
    pub hub: usize,
    /// The candidates to buy, in rising order.
    pub repeaters: Vec<usize>,
    /// The routes of each demand, each from a hub to the device; none where it is not reached.
    pub routes: Vec<Vec<Vec<usize>>>,
    /// The demands that are not met.
    pub unserved: Vec<usize>,
}
