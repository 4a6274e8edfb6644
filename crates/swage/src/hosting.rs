//! The review host that this clone belongs to: how it is found, and what is fetched from it.

use swage_git::{Remote, Repository, Target};
use swage_host::{Client, HostError, Proposal, Revision};

use crate::failure::Failure;
use crate::source::Workspace;

/// The variable that holds the token.
pub const TOKEN: &str = "SWAGE_TOKEN";

/// The token from the environment.
pub fn token() -> Result<String, Failure> {
    match std::env::var(TOKEN) {
        Ok(token) if token.trim().contains(|c: char| c.is_control() || !c.is_ascii()) => {
            Err(Failure::wrong(format!("{TOKEN} holds a line end or another character that no token has"))
                .hint("Put the token alone into it, as the host gave it."))
        }
        Ok(token) if !token.trim().is_empty() => Ok(token.trim().to_owned()),
        _ => Err(Failure::wrong(format!("{TOKEN} is not set"))
            .hint("Put your token of the host into the environment; the host's administrator gives one with `swage host token`.")),
    }
}

/// A host, and the repository of it that is meant.
pub struct Hosting {
    /// Speaks to it.
    pub client: Client,
    /// The repository's name on the host.
    pub repository: String,
    token: String,
}

/// A proposal whose commits are here.
pub struct Fetched {
    /// What the host knows of it.
    pub proposal: Proposal,
    /// Its newest revision.
    pub revision: Revision,
    /// The target as it is on the host.
    pub target: Target,
}

impl Hosting {
    /// The host at the address that is typed, else at git's `swage.host`, else where `origin` is.
    pub fn find(workspace: &Workspace, typed: Option<&str>) -> Result<Self, Failure> {
        let repository = workspace.repository()?;
        let named = typed.map(str::to_owned).or_else(|| repository.setting("swage.host"));
        let origin = || repository.setting("remote.origin.url").filter(|url| split(url).is_some());
        let url = named.or_else(origin).ok_or_else(|| {
            Failure::wrong("no review host is known here").hint(
                "Name it with --host URL, or for this clone with `git config swage.host URL`: the address of the repository on the host, such as http://127.0.0.1:8417/git/ferry.git. A clone of that address knows it by itself.",
            )
        })?;
        let (base, name) = split(&url).ok_or_else(|| {
            Failure::wrong(format!("`{url}` isn't the address of a repository on a host"))
                .hint("Write it like http://127.0.0.1:8417/git/ferry.git.")
        })?;
        let token = token()?;
        let client = Client::new(base, &token).map_err(failed)?;
        Ok(Self { client, repository: name.to_owned(), token })
    }

    /// The address of a repository on the host.
    pub fn git_url(&self, name: &str) -> String {
        format!("{}/git/{name}.git", self.client.url())
    }

    /// The page of a proposal.
    pub fn page(&self, number: u64) -> String {
        format!("{}/proposals/{number}", self.client.url())
    }

    /// Fetches the newest revision of a proposal and its target.
    pub fn fetch(&self, workspace: &Workspace, number: u64) -> Result<Fetched, Failure> {
        let proposal = self.client.proposal(number).map_err(failed)?;
        let revision = proposal.newest().cloned();
        let revision = revision.ok_or_else(|| Failure::unfinished(format!("proposal {number} has no revision")))?;
        let tip = proposal
            .target_tip
            .clone()
            .ok_or_else(|| Failure::unfinished(format!("the target {} isn't on the host any more", proposal.target)))?;
        let own = format!("refs/swage/proposals/{number}/{}", revision.number);
        let specs = [
            format!("+refs/proposals/{number}/{}:{own}", revision.number),
            format!("+refs/heads/{0}:refs/swage/targets/{0}", proposal.target),
        ];
        let repository = workspace.repository()?;
        self.fetch_refs(repository, &proposal.repository, &specs)?;
        let target = Target { name: proposal.target.clone(), tip: tip.into() };
        Ok(Fetched { proposal, revision, target })
    }

    fn fetch_refs(&self, repository: &Repository, name: &str, specs: &[String]) -> Result<(), Failure> {
        let url = self.git_url(name);
        Ok(repository.fetch(Remote { url: &url, token: Some(&self.token) }, specs)?)
    }

    /// Pushes a commit to a branch of a repository on the host.
    pub fn push(
        &self,
        repository: &Repository,
        name: &str,
        (commit, branch): (&str, &str),
        lease: Option<&str>,
    ) -> Result<(), Failure> {
        let url = self.git_url(name);
        Ok(repository.push(Remote { url: &url, token: Some(&self.token) }, commit, branch, lease)?)
    }
}

/// The parts of `http://HOST/git/NAME.git`.
fn split(url: &str) -> Option<(&str, &str)> {
    if !(url.starts_with("http://") || url.starts_with("https://")) {
        return None;
    }
    let (base, name) = url.trim_end_matches('/').split_once("/git/")?;
    let name = name.strip_suffix(".git").unwrap_or(name);
    (!name.is_empty() && !name.contains('/')).then_some((base, name))
}

/// What a host's refusal means to the user.
pub fn failed(error: HostError) -> Failure {
    let remedy = match &error {
        HostError::Address(_) => "Give an address such as http://127.0.0.1:8417/git/ferry.git.",
        HostError::Unreachable { sent: false, .. } => {
            "See that the host runs and that the address is right; then try again. Nothing was sent."
        }
        HostError::Unreachable { sent: true, .. } => {
            "The request may have arrived. See that the host runs, and look with `swage show` before you send it again."
        }
        HostError::Refused { status: 401, .. } => "Put a token of this host into SWAGE_TOKEN.",
        HostError::Refused { status: 403, .. } => "Ask somebody who may, or a maintainer of the host for another role.",
        HostError::Refused { status: 404, .. } => "`swage inbox --all` lists the proposals.",
        HostError::Refused { status: 422, .. } => "Nothing was done; correct that and try again.",
        HostError::Refused { status: 409, .. } => "`swage show` shows the state of the proposal.",
        _ => "Check that the address is that of a review host with Swage's protocol.",
    };
    let usage = matches!(error, HostError::Address(_) | HostError::Refused { status: 400..=499, .. });
    let failure = if usage { Failure::wrong(&error) } else { Failure::unfinished(&error) };
    failure.hint(remedy)
}
