//! The demo's lines: an invented radio play, *Fog at Pell Harbour*. Every English sound, a whisper, a
//! shout, a sung line, a question, a list, a pause and all six moods occur.

/// One line with its recording, which was synthesised.
pub struct DemoLine {
    /// Who says it.
    pub character: &'static str,
    pub text: &'static str,
    pub file_name: &'static str,
    pub recording: &'static [u8],
}

/// The characters, as the production calls them.
pub const BRAM: &str = "Bram";
pub const ODILE: &str = "Odile";
pub const BELL: &str = "The ship's bell";

macro_rules! lines {
    ($($who:ident $file:literal $number:literal text: $text:literal),* $(,)?) => {
        pub const LINES: &[DemoLine] = &[$(DemoLine {
            character: $who,
            text: $text,
            file_name: concat!($file, "-", $number, "-synthesised.wav"),
            recording: include_bytes!(concat!("../voices/", $number, ".wav")),
        }),*];
    };
}

lines! {
    BRAM "bram" "01" text: "Pell Harbour to the Saint Odo. The pier light is lit. Come in slowly, over.",
    BRAM "bram" "02" text: "Forty crates of marmalade, and not one spoon on the whole pier!",
    BRAM "bram" "03" text: "Hush now. Listen. That is her engine, far out past the buoy, and much too close.",
    BRAM "bram" "04" text: "Pull the shutters down, Odile. The fog will be at the pier before the kettle boils.",
    BRAM "bram" "05" text: "Why would anyone ship oranges through a night like this?",
    BRAM "bram" "06" text: "Left rudder, Captain! Left! You are nearly on the rocks!",
    BRAM "bram" "07" text: "[sung] Slow goes the tide, and slow goes the moon.",
    BRAM "bram" "08" text: "Four, five, six, seven. All of them, by the usual measure, and the jam is dry.",
    BRAM "bram" "09" text: "You smell that? Burnt sugar. Somebody has dropped a jar. Ugh, it is everywhere.",
    BRAM "bram" "10" text: "I thought the worst of it was over.",
    BRAM "bram" "11" text: "[whispers] Don't turn round. It is on the roof.",
    BRAM "bram" "12" text: "Good morning, Pell Harbour. Visibility is excellent, and Odile's tea is free.",
    ODILE "odile" "13" text: "Bram! The fog has eaten the end of my pier. Bring a lamp, and bring the big spoon.",
    ODILE "odile" "14" text: "Tea first, then trouble. Five sugars for the captain, and none for the ghost.",
    BELL "bell" "15" text: "I have rung for forty ferries, and nobody ever thanks the bell.",
}
