//! Movies where the browser cannot make them: pictures and sound put together by ffmpeg, if this machine has it.

use std::process::{Command, Stdio};
use std::sync::OnceLock;

/// Whether ffmpeg is there; looked up once.
pub fn can() -> bool {
    static CAN: OnceLock<bool> = OnceLock::new();
    *CAN.get_or_init(|| {
        let asked =
            Command::new("ffmpeg").arg("-version").stdout(Stdio::null()).stderr(Stdio::null()).status();
        asked.is_ok_and(|s| s.success())
    })
}
