//! Sends mail about what happened to proposals that people take part in or are mentioned in.

use std::fmt::Write;
use std::sync::Arc;
use std::time::Duration;

use swage_core::invisible::shown;
use swage_mail::{Letter, MailServer};

use super::Shared;
use crate::storage::{Notification, now};

/// How mail is sent.
#[derive(Debug, Clone)]
pub struct MailOptions {
    /// The server, as `HOST:PORT`; it is spoken to without encryption.
    pub server: String,
    /// Whose name is on the mail: an address, or a name and an address.
    pub from: String,
    /// How long a proposal must be quiet before its events are sent, so that they go in one mail.
    pub quiet: Duration,
}

/// Looks this often for events to send.
const PAUSE: Duration = Duration::from_millis(500);
/// After a failure, so long.
const LONG_PAUSE: Duration = Duration::from_secs(30);

/// Sends what there is, for ever.
pub async fn notify(shared: Arc<Shared>, options: MailOptions) {
    loop {
        let (shared, options) = (shared.clone(), options.clone());
        let sent = tokio::task::spawn_blocking(move || send_all(&shared, &options)).await;
        let failed = match sent {
            Ok(Ok(())) => None,
            Ok(Err(why)) => Some(why),
            Err(_) => Some("the host failed".to_owned()),
        };
        if let Some(why) = &failed {
            tracing::warn!(%why, "mail isn't sent");
        }
        tokio::time::sleep(if failed.is_some() { LONG_PAUSE } else { PAUSE }).await;
    }
}

fn send_all(shared: &Shared, options: &MailOptions) -> Result<(), String> {
    let open = shared.host.storage().unmailed(options.quiet.as_secs() as i64).map_err(|e| e.to_string())?;
    if open.is_empty() {
        return Ok(());
    }
    let server = MailServer::at(&options.server).map_err(|e| e.to_string())?;
    for rendered in &open {
        let letter = letter(rendered, options, &format!("http://{}", shared.address));
        // One address that isn't taken must not keep the others from theirs.
        if let Err(why) = server.send(&letter) {
            tracing::warn!(%why, person = %rendered.person, "a letter isn't sent");
            if !why.is_about_letter() {
                return Err(why.to_string());
            }
        }
        shared.host.storage().mailed(rendered).map_err(|e| e.to_string())?;
    }
    Ok(())
}

/// A mail to somebody about a proposal. All mails about it reply to one that was never sent, so that mail programs keep them in one thread.
fn letter(rendered: &Notification, options: &MailOptions, url: &str) -> Letter {
    let mut text = String::new();
    for event in &rendered.events {
        let thread = event.thread.map(|thread| format!(" in thread {thread}")).unwrap_or_default();
        let (did, said) = event.in_words();
        let said = if said.is_empty() { String::new() } else { format!(": {}", shown(said)) };
        _ = writeln!(text, "{} {did}{thread}{said}", event.who);
    }
    _ = write!(text, "\n{url}/proposals/{}\n\nYou get this as {}.\n", rendered.proposal, rendered.person);
    let domain = options.from.trim_end_matches('>').rsplit_once('@').map_or("localhost", |(_, domain)| domain);
    let root = format!("swage.{}.{}@{domain}", rendered.repository, rendered.proposal);
    Letter {
        from: options.from.clone(),
        to: vec![rendered.mail.clone()],
        subject: format!("[{}] {} · {}", rendered.repository, rendered.proposal, shown(&rendered.title)),
        in_reply_to: Some(root.clone()),
        references: vec![root],
        date: rendered.events.last().map_or_else(now, |event| event.at),
        text,
        ..Letter::default()
    }
}
