//! The part of the demo that plays on a review host: author, reviewer, checker and maintainer.

use std::path::{Path, PathBuf};
use std::process::Command;

use swage_host::{Client, NewRepository, NewTicket, Role, Running, Server, ServerOptions, TicketPoint, give_token};

use super::{Demo, failed};
use crate::failure::Failure;
use crate::output::print;
use crate::terminal::Paint;

/// Where the host keeps everything.
pub fn data_of(folder: &Path) -> PathBuf {
    folder.join(".git").join("swage-demo-host")
}

/// The host, and who has a token of it.
pub struct People {
    host: Running,
    tokens: Vec<(&'static str, String)>,
}

const PEOPLE: [(&str, Role); 4] = [
    ("harbour-dev", Role::Contributor),
    ("pier-dev", Role::Contributor),
    ("maintainer", Role::Maintainer),
    ("swage", Role::Checker),
];

/// Texts of the branch that are written again: file, before, after.
type Edits<'a> = &'a [(&'a str, &'a str, &'a str)];

/// Takes the route's reach into the store and the debugging print out again.
const FIXED: Edits<'_> = &[
    ("src/routes/berths.ts", "store.bookingsOf(request.query.berth)", "this.service.bookingsOf(request.query.berth)"),
    ("src/routes/berths.ts", "import { store } from \"../store\";\n", ""),
    (
        "src/services/berths.ts",
        "  private isFree",
        "  bookingsOf(berth: string): Booking[] {\n    return store.bookingsOf(berth);\n  }\n\n  private isFree",
    ),
    ("timetable/load.py", "sends.\"\"\"", "sends.\n\nTimes are those of the port.\n\"\"\""),
    ("timetable/publish.py", "    print(\"here\", board)\n", ""),
];

/// Groups what belongs together, so that no function takes too much.
const GROUPED: Edits<'_> = &[
    (
        "timetable/load.py",
        "def select(sailings, port, to, first, last, vessel=None):",
        "def select(sailings, port, to, first, last):",
    ),
    (
        "timetable/load.py",
        "    \"\"\"The sailings of one line between two times, of one vessel when it is named.\"\"\"",
        "    \"\"\"The sailings of one line between two times.\"\"\"",
    ),
    ("timetable/load.py", "    if vessel is not None:\n        fits = [s for s in fits if s.vessel == vessel]\n", ""),
    ("timetable/publish.py", "def show(board, text, row, column, colour):", "def show(board, text, place):"),
    ("timetable/publish.py", "    place = {\"row\": row, \"column\": column, \"colour\": colour}\n", ""),
];

impl People {
    fn token(&self, who: &str) -> &str {
        self.tokens.iter().find(|(name, _)| *name == who).map_or("", |(_, token)| token)
    }

    fn client(&self, who: &str) -> Result<Client, Failure> {
        Client::new(&self.host.url, self.token(who)).map_err(|e| failed("reach its host", &e))
    }

    /// Leaves the host's pages up until an interrupt.
    pub fn keep_serving(self) -> Result<(), Failure> {
        let token = self.token("maintainer");
        let text = format!(
            "\n{} serves until you interrupt it. Sign in as the maintainer with the token {token}\n",
            self.host.url
        );
        print(text.as_bytes())?;
        crate::program::watch_interrupts();
        while !crate::program::is_interrupted() {
            std::thread::sleep(std::time::Duration::from_millis(100));
        }
        Ok(())
    }
}

impl Demo {
    /// Starts the host with its people, its repository and a ticket.
    fn host(&self) -> Result<People, Failure> {
        let data = data_of(&self.folder);
        let token = |(name, role)| Ok((name, give_token(&data, name, role).map_err(|e| failed("give tokens", &e))?));
        let tokens = PEOPLE.into_iter().map(token).collect::<Result<_, Failure>>()?;
        let options = ServerOptions::new(([127, 0, 0, 1], 0).into(), data);
        let host = Server::bind(options).map_err(|e| failed("start its host", &e))?.spawn();
        let people = People { host, tokens };
        let maintainer = people.client("maintainer")?;
        let new = NewRepository { name: "ferry".to_owned(), copy_of: None, protected: vec!["main".to_owned()] };
        maintainer.make_repository(&new).map_err(|e| failed("make its repository", &e))?;
        let point = |text: &str| TicketPoint { text: text.to_owned(), done: false };
        let points =
            vec![point("The board at the quay shows the times of a berth"), point("Times are those of the port")];
        let ticket = NewTicket { title: "Show a berth's times at the quay".to_owned(), open: true, points };
        maintainer.put_ticket("QUAY-7", &ticket).map_err(|e| failed("write its ticket", &e))?;
        let url = format!("{}/git/ferry.git", people.host.url);
        self.git("maintainer", &["config", "swage.host", &url])?;
        let mut push = Command::new("git");
        push.arg("-C").arg(&self.folder).args(["push", "--quiet", &url, "main"]);
        push.envs([("GIT_CONFIG_COUNT", "1"), ("GIT_CONFIG_KEY_0", "http.extraHeader")]);
        push.env("GIT_CONFIG_VALUE_0", format!("Authorization: Bearer {}", people.token("maintainer")));
        let output = push.output().map_err(|e| failed("run git", &e))?;
        if !output.status.success() {
            return Err(failed("push to its host", &String::from_utf8_lossy(&output.stderr)));
        }
        Ok(people)
    }

    /// The story on the host.
    pub(super) fn on_host(&self) -> Result<People, Failure> {
        self.say("A small host is started for this demo on a free port; it keeps the repository, and four people have a token of it. What they type is shown after their names.")?;
        let people = self.host()?;
        let show = |who: &str, args: &[&str]| self.show_as(who, args, Some(people.token(who)));
        show(
            "harbour-dev",
            &["propose", "--title", "Times at the quay", "--reviewer", "pier-dev", "--ticket", "QUAY-7"],
        )?;
        self.say("The checker reviews the proposal by main's rules. Its findings become threads at their lines.")?;
        show("swage", &["post", "--proposal", "1"])?;
        show("pier-dev", &["inbox"])?;
        show(
            "pier-dev",
            &[
                "say",
                "1",
                "--at",
                "timetable/publish.py:25-28",
                "--todo",
                "--draft",
                "Who calls this? Say so in the docstring.",
            ],
        )?;
        show("pier-dev", &["object", "1", "A route must not reach into the store."])?;
        self.say("harbour-dev fixes the worst of it and pushes. Threads whose finding is gone are closed; the others, and what pier-dev said, move with their lines.")?;
        self.rewrite(FIXED, "Ask the service for a berth's times")?;
        show("harbour-dev", &["propose"])?;
        show("swage", &["post", "--proposal", "1"])?;
        show("pier-dev", &["show", "1"])?;
        self.say("One more commit, and the to-do is done: the person who asked for it says so. Approving means this revision and no other.")?;
        self.rewrite(GROUPED, "Group what belongs together")?;
        show("harbour-dev", &["propose"])?;
        show("swage", &["post", "--proposal", "1"])?;
        show("pier-dev", &["show", "1", "--since-seen"])?;
        show("pier-dev", &["say", "1", "--thread", "5", "--resolve", "It isn't called yet; fine."])?;
        show("pier-dev", &["approve", "1"])?;
        self.say("Meanwhile the maintainer moves the boards into a place of their own, and merges that first. So the target isn't what it was, and proposal 1 is judged again for what it is now.")?;
        self.git("maintainer", &["checkout", "--quiet", "tidy-folders"])?;
        show("maintainer", &["propose", "--describe"])?;
        show("pier-dev", &["approve", "2", "Much better to find."])?;
        show("maintainer", &["merge", "2"])?;
        show("maintainer", &["merge", "1", "--dry-run"])?;
        show("maintainer", &["merge", "1", "--delete-branch"])?;
        show("harbour-dev", &["inbox"])?;
        // Main here is what it is on the host, as after any `git pull`.
        let main = data_of(&self.folder).join("repositories").join("ferry.git");
        self.git("maintainer", &["checkout", "--quiet", "winter-sailings"])?;
        self.git("maintainer", &["fetch", "--quiet", &main.to_string_lossy(), "+main:main"])?;
        let paint = Paint;
        print(
            format!(
                "{}\n\n",
                paint.faint("The proposal, its threads and its timeline stay: `swage show 1 --all`, or as a page.")
            )
            .as_bytes(),
        )?;
        Ok(people)
    }

    /// Writes texts of the branch that is checked out again, and commits that as harbour-dev.
    fn rewrite(&self, edits: Edits<'_>, message: &str) -> Result<(), Failure> {
        for (file, from, to) in edits {
            let path = self.folder.join(file);
            let text = std::fs::read_to_string(&path).map_err(|e| failed("fix its branch", &e))?;
            std::fs::write(&path, text.replace(from, to)).map_err(|e| failed("fix its branch", &e))?;
        }
        self.commit("harbour-dev", message)
    }
}
