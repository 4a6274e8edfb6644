//! What the benchmarks share: timing two things in turn, and made-up sources.
//!
//! Machines are noisy, so no figure stands alone: each measured thing and its reference run in turn in one process, and
//! what is reported and judged is the ratio of their medians.

use std::fmt::Write;
use std::time::{Duration, Instant};

use mimalloc::MiMalloc;

/// The same as the program's.
#[global_allocator]
static ALLOCATOR: MiMalloc = MiMalloc;

/// Runs two things in turn, `runs` times each after one that isn't counted; the medians.
pub fn in_turn(runs: usize, mut ours: impl FnMut(), mut reference: impl FnMut()) -> (Duration, Duration) {
    let time = |work: &mut dyn FnMut()| {
        let start = Instant::now();
        work();
        start.elapsed()
    };
    time(&mut ours);
    time(&mut reference);
    let (mut a, mut b) = (Vec::new(), Vec::new());
    for _ in 0..runs {
        a.push(time(&mut ours));
        b.push(time(&mut reference));
    }
    (median(a), median(b))
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

/// Prints one comparison and whether it keeps its promise.
pub fn report(name: &str, ours: Duration, reference: Duration, most: f64) {
    let ratio = ours.as_secs_f64() / reference.as_secs_f64();
    let kept = if ratio <= most { "kept" } else { "BROKEN" };
    println!(
        "{name}: {:.1} ms against {:.1} ms, ratio {ratio:.2}, at most {most} promised: {kept}",
        ours.as_secs_f64() * 1e3,
        reference.as_secs_f64() * 1e3
    );
}

/// A Python module of about 80 lines; every number makes another one.
pub fn python_module(number: usize) -> String {
    let mut text =
        format!("\"\"\"Sailings of line {number}.\"\"\"\n\nimport csv\nfrom datetime import datetime, timezone\n\n");
    for n in 0..8 {
        _ = write!(
            text,
            "\ndef sailings_{number}_{n}(rows, port, first=None):\n    \"\"\"The sailings from a port.\"\"\"\n    found = []\n    for row in rows:\n        if row[\"port\"] != port:\n            continue\n        departs = datetime.fromisoformat(row[\"departs\"])\n        if first is not None and departs < first:\n            continue\n        found.append((departs.astimezone(timezone.utc), row.get(\"to\", \"quay-{n}\")))\n    return sorted(found)\n\n"
        );
    }
    text
}

/// A TypeScript module of about 70 lines.
pub fn typescript_module(number: usize) -> String {
    let mut text = format!(
        "import {{ Berth, Booking }} from \"./berths\";\n\n/** Keeps quay {number}. */\nexport class Quay{number} {{\n  private bookings: Booking[] = [];\n"
    );
    for n in 0..7 {
        _ = write!(
            text,
            "\n  free{n}(berth: Berth, from: Date, until: Date): boolean {{\n    const own = this.bookings.filter((b) => b.berth === berth.id);\n    for (const booking of own) {{\n      if (booking.from < until && booking.until > from) {{\n        return false;\n      }}\n    }}\n    return own.length < {n} + berth.lengthMetres / 12;\n  }}\n"
        );
    }
    text + "}\n"
}
