#[path = "../tests/targets/mod.rs"]
mod targets;
use jam_shape::template::shipped;
use jam_shape::*;
use targets::*;
fn main() {
    let t = shipped();
    for m in [Made { open: 0.15, ..Made::of(Bent::Warp) }, Made { points: Some(1325), ..Made::of(Bent::Round) }] {
        let target = make(&m);
        let (s, w) = transfer(t, &target.pieces, None, &target.marks, &Wish::default(), &Progress(&|_| true)).unwrap();
        let meet = s.pieces[0].shapes.iter().find(|s| s.name == "lips_meet").unwrap();
        let mut made = vec![glam::DVec3::ZERO; target.outside.len()];
        for (i, m) in &meet.moves { made[*i as usize] = *m; }
        for k in 0..2 { let c = w.chains[k].as_ref().unwrap(); let o = w.chains[1-k].as_ref().unwrap();
            println!("chain {k} middle {:?}", c.middle);
            let pos = |i: &u32| target.pieces[0].mesh.points[w.in_skin[*i as usize] as usize] + made[w.in_skin[*i as usize] as usize];
            let other: Vec<_> = o.points.iter().map(pos).collect();
            for i in &c.points { let p = pos(i); println!("  {i} {:.3} off {:.4} shared {}", p, curve::distance(&other, p), o.points.contains(i)); } }
    }
}
