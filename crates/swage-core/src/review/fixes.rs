//! Trying the fixes of findings, so that only good ones are offered.

use rayon::prelude::*;

use super::examination::Examination;
use super::file::Examined;
use super::finding::{Finding, Fix, FixEdit, Proof};
use crate::baseline::{Compared, FileHits};
use crate::change::{Change, Content, Contents};
use crate::fix::{Fixable, NEEDS_RUN, Outcome, fix_file, prove};
use crate::scan::{Hit, Lines, decoded};

/// Most fixes of a file that are tried one by one; more are tried together.
const MOST_ALONE: usize = 10;

/// Tries the fixes of what counts against the change, and gives them to the findings.
pub(super) fn offer_fixes(
    findings: &mut [Finding],
    compared: &[Compared],
    hits: &[FileHits],
    (change, contents): (&Change, &dyn Contents),
    examined: &[Examined],
    with: &Examination<'_>,
) {
    let mut by_file: Vec<Vec<(usize, &Hit)>> = vec![Vec::new(); change.files.len()];
    for (at, (c, finding)) in compared.iter().zip(findings.iter()).enumerate() {
        if let Some((file, index)) = c.place.new
            && file < change.files.len()
            && finding.counts_against_change()
            && hits[file].hits.new[index].fix.is_some()
        {
            by_file[file].push((at, &hits[file].hits.new[index]));
        }
    }
    let offered: Vec<(usize, Fix)> = by_file
        .par_iter()
        .enumerate()
        .filter(|(_, own)| !own.is_empty())
        .flat_map_iter(|(file, own)| {
            let Content::Whole { bytes, .. } = contents.sides(file).new else { return Vec::new() };
            let wanted = with.rules.wanted_as(&change.files[file].new_path, examined[file].origin);
            let by_program = |hit: &&Hit| with.rules.get(&hit.rule).is_some_and(|rule| rule.checker().is_some());
            let reported: Vec<Hit> = hits[file].hits.new.iter().filter(by_program).cloned().collect();
            let fixable = Fixable {
                path: &change.files[file].new_path,
                language: examined[file].language,
                rules: with.rules,
                wanted: &wanted,
                limits: with.limits,
                reported: &reported,
            };
            try_fixes(&fixable, &bytes, own)
        })
        .collect();
    for (at, fix) in offered {
        findings[at].fix = Some(fix);
    }
}

fn try_fixes(file: &Fixable<'_>, bytes: &[u8], own: &[(usize, &Hit)]) -> Vec<(usize, Fix)> {
    let text = decoded(bytes);
    let lines = Lines::new(&text);
    let hits: Vec<&Hit> = own.iter().map(|(_, hit)| *hit).collect();
    let proofs: Vec<Proof> = if hits.len() > MOST_ALONE {
        prove_together(file, bytes, &hits)
    } else {
        let alone = prove(file, bytes, &hits).into_iter();
        alone.map(|proved| proved.map_or_else(Proof::Unproved, |()| Proof::Proved)).collect()
    };
    let fix = |((at, hit), proof): (&(usize, &Hit), Proof)| {
        let fix = hit.fix.as_ref()?;
        let edits = fix.edits.iter().map(|e| FixEdit { span: lines.span(e.range.clone()), text: e.text.clone() });
        Some((*at, Fix { title: fix.title.clone(), edits: edits.collect(), proof }))
    };
    own.iter().zip(proofs).filter_map(fix).collect()
}

/// The same for many fixes of a file, tried in each other's company.
fn prove_together(file: &Fixable<'_>, bytes: &[u8], hits: &[&Hit]) -> Vec<Proof> {
    let is = |a: &Hit, b: &Hit| a.rule == b.rule && a.span == b.span;
    let attempts = fix_file(file, bytes, &|hit| hits.iter().any(|own| is(own, hit))).attempts;
    let proof = |hit: &&Hit| match attempts.iter().find(|a| is(&a.hit, hit)).map(|a| &a.outcome) {
        _ if file.is_reported(hit) => Proof::Unproved(NEEDS_RUN.to_owned()),
        Some(Outcome::Applied(1)) => Proof::Proved,
        Some(Outcome::Refused(why)) => Proof::Unproved(why.clone()),
        _ => Proof::Unproved("it overlaps another fix".to_owned()),
    };
    hits.iter().map(proof).collect()
}
