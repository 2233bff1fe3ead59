//! The demo's lines: an invented radio play, *Fog at Pell Harbour*. Every English sound, a whisper, a
//! shout, a sung line, a question, a list, a pause and all six moods occur.

/// One line with its recording, which was synthesised.
pub struct DemoLine {
    pub text: &'static str,
    pub file_name: &'static str,
    pub recording: &'static [u8],
}

macro_rules! recording {
    ($number:literal) => {
        (
            concat!("bram-", $number, "-synthesised.wav"),
            include_bytes!(concat!("../voices/", $number, ".wav")),
        )
    };
}

macro_rules! lines {
    ($($number:literal text: $text:literal),* $(,)?) => {
        pub const LINES: &[DemoLine] = &[$({
            let (file_name, recording) = recording!($number);
            DemoLine { text: $text, file_name, recording }
        }),*];
    };
}

lines! {
    "01" text: "Pell Harbour to the Saint Odo. The pier light is lit. Come in slowly, over.",
    "02" text: "Forty crates of marmalade, and not one spoon on the whole pier!",
    "03" text: "Hush now. Listen. That is her engine, far out past the buoy, and much too close.",
    "04" text: "Pull the shutters down, Odile. The fog will be at the pier before the kettle boils.",
    "05" text: "Why would anyone ship oranges through a night like this?",
    "06" text: "Left rudder, Captain! Left! You are nearly on the rocks!",
    "07" text: "[sung] Slow goes the tide, and slow goes the moon.",
    "08" text: "Four, five, six, seven. All of them, by the usual measure, and the jam is dry.",
    "09" text: "You smell that? Burnt sugar. Somebody has dropped a jar. Ugh, it is everywhere.",
    "10" text: "I thought the worst of it was over.",
    "11" text: "[whispers] Don't turn round. It is on the roof.",
    "12" text: "Good morning, Pell Harbour. Visibility is excellent, and Odile's tea is free.",
}
