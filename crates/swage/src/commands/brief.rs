//! `swage brief`: what a reader needs to know of a change before reading its lines.

use std::collections::BTreeMap;
use std::path::Path as FilePath;
use std::process::ExitCode;

use swage_core::brief::{Background, Brief, Churn, Flow, Map, brief, flow};
use swage_core::change::{Change, Contents};
use swage_core::review::{Fixes, Path, Review};
use swage_core::view::ChangeView;
use swage_git::Repository;

use crate::checkers::Outside;
use crate::cli::{BriefArgs, BriefFormat};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::html::{self, Page};
use crate::output::{Document, Purpose, brief as form, for_people, print, write_file};
use crate::source::{Workspace, with_change};

/// How many days of history say how often a file is changed.
const DAYS: u32 = 90;

pub fn run(args: &BriefArgs) -> Result<ExitCode, Failure> {
    let pictures = Pictures::of(args)?;
    let workspace = Workspace::find()?;
    let configuration = Configuration::of_folder(&workspace.root, args.setup.config.as_deref())?;
    let points = match (&args.points, args.change.proposal) {
        (Some(path), _) => Some(read_points(path)?),
        (None, Some(number)) => points_of(&workspace, args.change.host.as_deref(), number)?,
        (None, None) => None,
    };
    let (result, notes) = with_change(&workspace, &args.change, &configuration, |change, contents| {
        gather(args, &workspace, &configuration, points, (change, contents), &pictures)
    })?;
    let Gathered { mut brief, flow, review, view } = result?;
    brief.notes.extend(notes);
    if let Some(path) = pictures.map {
        let map = Map::of(&brief);
        let drawn = if is_dot(path) { form::map::dot(&map) } else { form::map::svg(&map, &brief.description)? };
        write_file(path, drawn.as_bytes())?;
    }
    if let (Some(flow), Some((_, path))) = (&flow, pictures.flow) {
        write_file(path, form::flow::svg(flow)?.as_bytes())?;
    }
    let text = match args.format {
        BriefFormat::Human => for_people(&form::human::format(&brief)),
        BriefFormat::Json => form::json(&brief),
        BriefFormat::Markdown => form::markdown::format(&brief),
        BriefFormat::Html => {
            let page = Page { view, brief: Some(brief) };
            let (purpose, review) = (Purpose::Review, &review);
            html::format(&Document { page: Some(&page), ..Document::new(purpose, review) })?
        }
    };
    match &args.output {
        Some(path) => write_file(path, anstream::adapter::strip_str(&text).to_string().as_bytes())?,
        None => print(text.as_bytes())?,
    }
    Ok(ExitCode::SUCCESS)
}

/// The acceptance points of a proposal's tickets, as a Markdown list.
fn points_of(workspace: &Workspace, host: Option<&str>, number: u64) -> Result<Option<String>, Failure> {
    let hosting = Hosting::find(workspace, host)?;
    let proposal = hosting.client.proposal(number).map_err(failed)?;
    let points = proposal.tickets.iter().flat_map(|ticket| &ticket.points);
    let list: String =
        points.map(|point| format!("- [{}] {}\n", if point.done { "x" } else { " " }, point.text)).collect();
    Ok(Some(list).filter(|list| !list.is_empty()))
}

/// What is to be drawn, and where to.
struct Pictures<'a> {
    map: Option<&'a FilePath>,
    flow: Option<(&'a str, &'a FilePath)>,
}

fn has_ending(path: &FilePath, endings: &[&str]) -> bool {
    path.extension().is_some_and(|own| endings.iter().any(|ending| own == *ending))
}

fn is_dot(path: &FilePath) -> bool {
    has_ending(path, &["dot", "gv"])
}

impl<'a> Pictures<'a> {
    /// Looks at the files' names before any work is done.
    fn of(args: &'a BriefArgs) -> Result<Self, Failure> {
        let flow = match args.flow.as_deref() {
            Some([name, path]) => Some((name.as_str(), FilePath::new(path))),
            _ => None,
        };
        let map = args.map.as_deref();
        let wrong = |path: &FilePath, endings: &str| {
            Failure::wrong(format!("{}: the ending of the name doesn't say the kind of picture", path.display()))
                .hint(format!("Give it the ending {endings}."))
        };
        if let Some(path) = map.filter(|path| !has_ending(path, &["svg", "dot", "gv"])) {
            return Err(wrong(path, ".svg, or .dot for Graphviz"));
        }
        if let Some((_, path)) = flow.filter(|(_, path)| !has_ending(path, &["svg"])) {
            return Err(wrong(path, ".svg"));
        }
        Ok(Self { map, flow })
    }
}

fn read_points(path: &FilePath) -> Result<String, Failure> {
    let bytes = std::fs::read(path).map_err(|e| Failure::unreadable("the acceptance points ", path, &e))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// What is known of a change.
struct Gathered {
    brief: Brief,
    /// What a definition calls, when that is to be drawn.
    flow: Option<Flow>,
    review: Review,
    /// The change line by line; empty unless it is to be shown.
    view: ChangeView,
}

/// The review of a change and what surrounds it.
fn gather(
    args: &BriefArgs,
    workspace: &Workspace,
    configuration: &Configuration,
    points: Option<String>,
    (mut change, contents): (Change, &dyn Contents),
    pictures: &Pictures<'_>,
) -> Result<Gathered, Failure> {
    let store = super::cache(workspace.repository.as_ref(), args.setup.no_cache);
    let outside = Outside::given(&[]);
    let review = super::examine_change(&change, contents, configuration, store.as_ref(), &outside, Fixes::LeftAside)?;
    let mut background =
        Background { points, max_file_size: configuration.config.limits.file_size, ..Background::default() };
    // A diff in a file has no history here.
    if let Some(repository) = workspace.repository.as_ref().filter(|_| args.change.patch.is_empty()) {
        let head = match &change.head {
            Some(head) => Some(head.clone()),
            None => repository.head()?,
        };
        if change.commits.is_none()
            && let (Some(base), Some(head)) = (&change.base, &head)
        {
            change.commits = Some(repository.commits(base, head)?);
        }
        let only = change.commits.as_ref().and_then(|list| list.first().filter(|_| list.len() == 1));
        change.title = change.title.take().or_else(|| only.map(|commit| commit.subject().to_owned()));
        background.churn = churn(repository, &change)?;
    }
    let flow = match pictures.flow {
        Some((name, _)) => Some(flow(&change, contents, name, background.max_file_size).map_err(|why| {
            Failure::wrong(format!("--flow: {why}"))
                .hint("`swage brief` without it lists what the change defines and touches.")
        })?),
        None => None,
    };
    let view = match args.format {
        BriefFormat::Html => ChangeView::of(&change, contents, &review, &configuration.rules),
        BriefFormat::Human | BriefFormat::Json | BriefFormat::Markdown => ChangeView::default(),
    };
    Ok(Gathered { brief: brief(&change, contents, &review, &background), flow, review, view })
}

/// How often the files of a change were changed before it.
fn churn(repository: &Repository, change: &Change) -> Result<BTreeMap<Path, Churn>, Failure> {
    let Some(base) = &change.base else { return Ok(BTreeMap::new()) };
    let paths = change.files.iter().map(|file| file.old_path.as_slice()).collect();
    let before = repository.changes_before(base, DAYS, &paths)?;
    let churn = before
        .into_iter()
        .map(|(path, history)| (Path::new(&path), Churn { commits: history.commits, authors: history.authors }));
    Ok(churn.collect())
}
