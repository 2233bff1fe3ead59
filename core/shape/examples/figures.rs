//! The table of figures: shapes carried over to faces whose shapes are known.
//! `cargo run --release -p jam-shape --example figures [name …]`.

#[path = "../tests/targets/mod.rs"]
mod targets;

use jam_shape::template::shipped;
use jam_shape::{Cuts, Jaw, Lines, Progress, Wish, cut_open, transfer};
use targets::{Bent, Made, cut, errors, make, whole};

fn main() {
    let warp = Made::of(Bent::Warp);
    let cases = [
        ("warp", warp),
        ("scan-like", Made { fine: true, noise: 0.003, ..warp }),
        ("low poly", Made { points: Some(1325), ..warp }),
        ("open at rest", Made { open: 0.15, ..warp }),
        ("through each other", Made { open: -0.08, ..warp }),
        ("long", Made::of(Bent::Long)),
        ("round", Made::of(Bent::Round)),
        ("round, low poly", Made { points: Some(1325), ..Made::of(Bent::Round) }),
        ("muzzle", Made::of(Bent::Muzzle)),
        ("lips of one surface, cut", Made { shut: true, ..warp }),
        ("the same, low poly", Made { shut: true, points: Some(1325), ..warp }),
        ("the same, muzzle", Made { shut: true, ..Made::of(Bent::Muzzle) }),
        ("lids of one surface, cut", Made { eyes_sewn: true, ..warp }),
        ("the same, low poly", Made { eyes_sewn: true, points: Some(1325), ..warp }),
        ("the same, muzzle", Made { eyes_sewn: true, ..Made::of(Bent::Muzzle) }),
        ("lips and lids", Made { shut: true, eyes_sewn: true, ..Made::of(Bent::Round) }),
        ("long, no neck", Made { neck: false, ..Made::of(Bent::Long) }),
        ("muzzle, no neck", Made { neck: false, ..Made::of(Bent::Muzzle) }),
    ];
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let all = wanted.iter().any(|w| w == "--shapes");
    println!(
        "| face | points | mean | 95 % | most | jaw most | lips found > met | sealed 1 | .5 | .25 | lids | least | s |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|---|---|---|");
    let quiet = |_: f64| true;
    for (name, made) in cases {
        if wanted.iter().any(|w| !w.starts_with("--")) && !wanted.iter().any(|w| w == name) {
            continue;
        }
        let mut target = make(&made);
        let mut edges = Lines::default();
        let cuts = Cuts { lips: made.shut, lids: made.eyes_sewn };
        if cuts != Cuts::default() {
            match cut_open(shipped(), &target.pieces, &target.marks, cuts, &Progress(&quiet)) {
                Ok(opened) => {
                    target.pieces = cut(&target.pieces, &opened);
                    edges = opened.edges;
                }
                Err(error) => {
                    println!("| {name} | {error} |");
                    continue;
                }
            }
        }
        let run = |jaw: Jaw| {
            let wish = Wish { jaw, edges: edges.clone(), ..Wish::default() };
            transfer(shipped(), &target.pieces, None, &target.marks, &wish, &Progress(&quiet))
        };
        let start = std::time::Instant::now();
        let (shaped, _) = match run(Jaw::Swing) {
            Ok(done) => done,
            Err(error) => {
                println!("| {name} | {error} |");
                continue;
            }
        };
        let took = start.elapsed().as_secs_f64();
        let Ok((carried, _)) = run(Jaw::Carried) else { continue };
        let by_shape = errors(&target, &carried.pieces[0].shapes);
        let off = whole(&by_shape);
        let report = &shaped.report;
        let seal = report.seal.clone();
        let s = |f: &dyn Fn(&jam_shape::Seal) -> f64| {
            seal.as_ref().map_or("-".to_string(), |x| format!("{:.2}", f(x)))
        };
        println!(
            "| {name} | {} | {:.2} | {:.2} | {:.1} | {:.1} | {} > {} | {} | {} | {} | {} | {} | {took:.1} |",
            report.points,
            off.mean,
            off.p95,
            off.most,
            by_shape.get("jaw_open").map_or(0.0, |e| e.most),
            s(&|x| x.as_found),
            s(&|x| x.rest),
            s(&|x| x.full),
            s(&|x| x.half),
            s(&|x| x.quarter),
            report.lids.iter().map(|l| format!("{:.3}", l.gap)).collect::<Vec<_>>().join(" "),
            report.lids.iter().map(|l| format!("{:.3}", l.nearest)).collect::<Vec<_>>().join(" "),
        );
        if all {
            for (shape, e) in &by_shape {
                println!("    {shape:24} {:5.2} {:5.2} {:5.1}", e.mean, e.p95, e.most);
            }
        }
        for warning in &report.warnings {
            println!("    {}: {}", warning.code, warning.message);
        }
        println!(
            "    edges {:?}, jaw {:.2}",
            report.edges.iter().map(|e| e.points).collect::<Vec<_>>(),
            report.jaw
        );
    }
}
