//! Making the files of a line that go out.

use super::job::{DeliveryKinds, Ended};
use crate::app::{App, Event};
use crate::evaluate::played;
use crate::problem::Problem;
use crate::version::Version;
use jam_formats::deliver::Delivery;
use jam_score::{Line, Timing};

pub fn run(app: &App, id: i32, kinds: DeliveryKinds, watch: &dyn Fn(f64) -> bool) -> Result<(), Ended> {
    let keep_going = |progress| if watch(progress) { Ok(()) } else { Err(Ended::Cancelled) };
    keep_going(0.0)?;
    let not_timed = || Ended::Failed("this line has no times yet; let it be analysed first".into());
    let played = played(app, Version { line: id, snapshot: None })?.ok_or_else(not_timed)?;
    let production = app.store.production()?;
    let number = app.store.line_number(id)?;
    let name = played.line.character.as_deref();
    let name =
        name.ok_or_else(|| Ended::Failed("this line has no character yet; choose who says it".into()))?;
    let member = app.store.cast_member_named(name)?;
    let none = Timing::default();
    let timing = played.line.timing.as_ref().unwrap_or(&none);
    let delivery = Delivery { timing, wiring: &played.wiring, sampled: played.sampled() };
    let stem = file_stem(&production.name, &member.title, number, &played.line);
    keep_going(0.2)?;
    let glb = match kinds.glb {
        true => {
            let model = app.model(&member.model)?;
            Some(delivery.glb(&model.character, &stem).map_err(Problem::from)?)
        }
        false => None,
    };
    keep_going(0.6)?;
    let curves = if kinds.curves { Some(delivery.curves().map_err(Problem::from)?) } else { None };
    keep_going(0.8)?;
    if let Some(bytes) = glb {
        app.store.add_delivery(id, &format!("{stem}.glb"), "model/gltf-binary", &bytes)?;
    }
    if let Some(text) = curves {
        app.store.add_delivery(id, &format!("{stem}.curves.json"), "application/json", text.as_bytes())?;
    }
    app.tell(Event::Deliveries);
    Ok(())
}

/// `fog-at-pell-harbour_bram_04_pull-the-shutters-down`.
fn file_stem(production: &str, character: &str, number: usize, line: &Line) -> String {
    let words: Vec<&str> =
        line.timing.iter().flat_map(|t| &t.words).take(4).map(|w| w.text.as_str()).collect();
    let own = line.name.as_deref().map_or_else(|| format!("{number:02}"), slug);
    format!("{}_{}_{own}_{}", slug(production), slug(character), slug(&words.join(" ")))
}

/// Plain letters, digits and hyphens, for names of files.
pub fn slug(text: &str) -> String {
    let spaced: String = text
        .chars()
        .filter(|c| *c != '\'' && *c != '’')
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { ' ' })
        .collect();
    let slug = spaced.split_whitespace().collect::<Vec<_>>().join("-");
    if slug.is_empty() { "line".into() } else { slug.chars().take(60).collect() }
}

#[cfg(test)]
mod tests {
    use super::slug;

    #[test]
    fn file_names_hold_plain_letters_only() {
        assert_eq!(slug("Don't  move — Odile!"), "dont-move-odile");
        assert_eq!(slug("../..\\"), "line");
    }
}
