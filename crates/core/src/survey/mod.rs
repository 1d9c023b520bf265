//! The survey as work: what is typed into the point sheet, what visible signs say of a switch, how
//! lines are found, what only an opened box can tell, and what the brief asks for.

pub mod brief;
pub mod classes;
pub mod delivered;
pub mod facts;
pub mod hard_spots;
pub mod hub_list;
pub mod lines;
pub mod natural;
pub mod new_router;
pub mod next;
pub mod previsit;
pub mod sheet;
pub mod signs;
