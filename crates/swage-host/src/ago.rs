//! Ages for people.

/// How long ago something was, in the largest unit that fits; both in seconds since 1970.
pub fn ago(at: i64, now: i64) -> String {
    let (count, unit) = match (now - at).max(0) {
        0..60 => return "just now".to_owned(),
        seconds @ 60..3600 => (seconds / 60, "minute"),
        seconds @ 3600..86_400 => (seconds / 3600, "hour"),
        seconds => (seconds / 86_400, "day"),
    };
    format!("{count} {unit}{} ago", if count == 1 { "" } else { "s" })
}
