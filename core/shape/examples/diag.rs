#[path = "../tests/targets/mod.rs"]
mod targets;
use jam_shape::*;
use targets::*;
fn main() {
    for (n, m) in [("warp", Made::of(Bent::Warp)), ("low", Made { points: Some(1325), ..Made::of(Bent::Warp) }), ("open", Made { open: 0.15, ..Made::of(Bent::Warp) }), ("long", Made::of(Bent::Long)), ("round", Made::of(Bent::Round)), ("muzzle", Made::of(Bent::Muzzle))] {
        let target = make(&Made { off: 0.0, ..m });
        match propose(&target.pieces) { Ok(p) => { print!("{n:7}"); for (l, at) in p.there() { print!(" {} {:.0}", l.name(), 100.0 * at.distance(target.marks.get(l).unwrap()) / target.mouth); } println!(); } Err(e) => println!("{n} {e}") }
    }
}
