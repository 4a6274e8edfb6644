//! What the benchmarks share: timing two things in turn, and made-up sources.
//!
//! Machines are noisy, so no figure is alone: each measured thing and its reference run in turn in one process, and
//! what is reported and judged is the median of the ratios of the pairs.

use std::time::{Duration, Instant};

use mimalloc::MiMalloc;

/// The same as the program's.
#[global_allocator]
static ALLOCATOR: MiMalloc = MiMalloc;

/// How long two things took, each time one right after the other.
pub struct Pairs(Vec<(Duration, Duration)>);

/// Runs two things in turn, `runs` times each after one that isn't counted.
pub fn in_turn(runs: usize, mut ours: impl FnMut(), mut reference: impl FnMut()) -> Pairs {
    let time = |work: &mut dyn FnMut()| {
        let start = Instant::now();
        work();
        start.elapsed()
    };
    time(&mut ours);
    time(&mut reference);
    Pairs((0..runs).map(|_| (time(&mut ours), time(&mut reference))).collect())
}

impl Pairs {
    /// The median of the ratios of each pair: what slows a machine for a while slows both.
    pub fn ratio(&self) -> f64 {
        let mut ratios: Vec<f64> = self.0.iter().map(|(a, b)| a.as_secs_f64() / b.as_secs_f64()).collect();
        ratios.sort_by(f64::total_cmp);
        ratios[ratios.len() / 2]
    }

    /// The median time of either.
    pub fn medians(&self) -> (Duration, Duration) {
        let median = |mut times: Vec<Duration>| {
            times.sort();
            times[times.len() / 2]
        };
        (median(self.0.iter().map(|(a, _)| *a).collect()), median(self.0.iter().map(|(_, b)| *b).collect()))
    }
}

/// Prints one comparison and whether it keeps its promise.
pub fn report(name: &str, pairs: &Pairs, most: f64) {
    let (ratio, (ours, reference)) = (pairs.ratio(), pairs.medians());
    let kept = if ratio <= most { "kept" } else { "BROKEN" };
    println!(
        "{name}: {:.1} ms against {:.1} ms, ratio {ratio:.2}, at most {most} promised: {kept}",
        ours.as_secs_f64() * 1e3,
        reference.as_secs_f64() * 1e3
    );
}

/// Modules in the languages that the benchmarks scan, in turn, each with its path; every number makes another one.
pub fn module(number: usize) -> (String, String) {
    match number % 6 {
        0 => (format!("timetable/line_{number}.py"), python_module(number)),
        1 => (format!("web/quay_{number}.ts"), typescript_module(number)),
        2 => (format!("src/line_{number}.rs"), rust_module(number)),
        3 => (format!("berths/quay_{number}.go"), go_module(number)),
        4 => (format!("booking/Quay{number}.java"), java_module(number)),
        _ => (format!("tide/gauge_{number}.c"), c_module(number)),
    }
}

/// A text with a part in it so many times, made for the number of each.
fn repeated(head: String, times: usize, part: impl Fn(usize) -> String, tail: &str) -> String {
    (0..times).fold(head, |text, n| text + &part(n)) + tail
}

/// A Python module of about 80 lines.
pub fn python_module(number: usize) -> String {
    repeated(
        format!("\"\"\"Sailings of line {number}.\"\"\"\n\nimport csv\nfrom datetime import datetime, timezone\n\n"),
        8,
        |n| {
            format!(
                "\ndef sailings_{number}_{n}(rows, port, first=None):\n    \"\"\"The sailings from a port.\"\"\"\n    found = []\n    # What doesn't leave from the port (or left before) isn't wanted here.\n    for row in rows:\n        if row[\"port\"] != port:\n            continue\n        departs = datetime.fromisoformat(row[\"departs\"])\n        if first is not None and departs < first:\n            continue\n        found.append((departs.astimezone(timezone.utc), row.get(\"to\", \"quay-{n}\")))\n    return sorted(found)\n\n"
            )
        },
        "",
    )
}

/// A TypeScript module of about 80 lines.
pub fn typescript_module(number: usize) -> String {
    repeated(
        format!(
            "import {{ Berth, Booking }} from \"./berths\";\n\n/** Keeps quay {number}. */\nexport class Quay{number} {{\n  private bookings: Booking[] = [];\n"
        ),
        7,
        |n| {
            format!(
                "\n  // A berth is free when nothing else lies there; the skipper's word (or the log) decides.\n  free{n}(berth: Berth, from: Date, until: Date): boolean {{\n    const own = this.bookings.filter((b) => b.berth === berth.id);\n    for (const booking of own) {{\n      if (booking.from < until && booking.until > from) {{\n        return false;\n      }}\n    }}\n    return own.length < {n} + berth.lengthMetres / 12;\n  }}\n"
            )
        },
        "}\n",
    )
}

fn rust_module(number: usize) -> String {
    repeated(
        format!("//! Sailings of line {number}.\n\nuse std::collections::BTreeMap;\n"),
        8,
        |n| {
            format!(
                "\n/// The sailings from a port, by the hour.\npub fn sailings_{n}(rows: &[Row], port: &str) -> BTreeMap<u32, Vec<String>> {{\n    let mut found = BTreeMap::new();\n    // What doesn't leave from the port isn't wanted; see `Row::port`.\n    for row in rows.iter().filter(|row| row.port == port) {{\n        if let Some(hour) = row.departs.get(..2).and_then(|hour| hour.parse().ok()) {{\n            found.entry(hour).or_insert_with(Vec::new).push(format!(\"{{}}-{n}\", row.to));\n        }}\n    }}\n    found\n}}\n"
            )
        },
        "",
    )
}

fn go_module(number: usize) -> String {
    repeated(
        format!("// Package berths keeps quay {number}.\npackage berths\n\nimport \"time\"\n"),
        8,
        |n| {
            format!(
                "\n// Free{n} tells whether nothing lies at a berth (it doesn't look at the tide).\nfunc (q *Quay{number}) Free{n}(berth Berth, from, until time.Time) bool {{\n\tcount := 0\n\tfor _, b := range q.bookings {{\n\t\tif b.Berth != berth.ID {{\n\t\t\tcontinue\n\t\t}}\n\t\tif b.From.Before(until) && b.Until.After(from) {{\n\t\t\treturn false\n\t\t}}\n\t\tcount++\n\t}}\n\treturn count < {n}+berth.LengthMetres/12\n}}\n"
            )
        },
        "",
    )
}

fn java_module(number: usize) -> String {
    repeated(
        format!(
            "package booking;\n\nimport java.time.Instant;\nimport java.util.List;\n\n/** Keeps quay {number}. */\npublic class Quay{number} {{\n    private final List<Booking> bookings;\n"
        ),
        7,
        |n| {
            format!(
                "\n    /** Whether nothing lies at a berth. */\n    public boolean free{n}(Berth berth, Instant from, Instant until) {{\n        int own = 0;\n        // The log isn't asked here (it's slow); whoever books does that.\n        for (Booking booking : bookings) {{\n            if (booking.berth().equals(berth.id())) {{\n                if (booking.from().isBefore(until) && booking.until().isAfter(from)) {{\n                    return false;\n                }}\n                own++;\n            }}\n        }}\n        return own < {n} + berth.lengthMetres() / 12;\n    }}\n"
            )
        },
        "}\n",
    )
}

fn c_module(number: usize) -> String {
    repeated(
        format!(
            "/*\n * Gauge {number}. What it reads isn't the tide itself (see the table), but\n * the height above the sill; the harbour's own figure is 4 m less.\n */\n#include \"gauge.h\"\n"
        ),
        8,
        |n| {
            format!(
                "\n/* The highest reading of a day, or -1 when there isn't any (a gauge may be off). */\nint highest_{n}(const struct reading *readings, size_t count, int day)\n{{\n    int best = -1;\n    for (size_t i = 0; i < count; i++) {{\n        if (readings[i].day != day)\n            continue;\n        if (readings[i].centimetres > best)\n            best = readings[i].centimetres + {n};\n    }}\n    return best;\n}}\n"
            )
        },
        "",
    )
}
