//! Going through the check list of a line, for the list of lines.

use super::job::Ended;
use crate::app::App;
use crate::checked::Stamps;
use crate::evaluate::now_played;
use jam_store::ListedLine;
use std::collections::BTreeSet;

pub fn run(app: &App, id: i32) -> Result<(), Ended> {
    let stamps = Stamps::of(&app.store, app.store.production()?.grid)?;
    let line = ListedLine::of(&app.store.line(id)?);
    let played = now_played(app, id)?;
    let mouth = app.mouth_of(&played.line)?;
    let open = played.findings(mouth.as_deref()).into_iter().filter(|f| f.dismissed.is_none());
    let titles: BTreeSet<String> = open.map(|f| f.rule.title().to_string()).collect();
    app.checked.note(&line, &stamps, titles.into_iter().collect());
    Ok(())
}
