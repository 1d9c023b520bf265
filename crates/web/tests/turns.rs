//! A law of the code: what is worded, printed or written of a job is so in the job's turn, off the threads that take
//! requests. One page that words a large job where it is asked for holds up everybody.
#![expect(clippy::expect_used, reason = "a source that cannot be read has failed the test")]

use std::path::Path;

/// Calls whose arguments are done off the request threads.
const TURNS: [&str; 7] =
    ["compute(", "word(", "printed(", "at_bench(", "proved(", ".ask(", "begin("];
/// What takes as long as the job is large.
const HEAVY: [&str; 8] =
    ["html(", ".render()", "::write(", "::csv(", "::json(", "to_string(&", "analyse(", "prove("];

/// The text without the arguments of calls that take their turn, and without closures that are named first and
/// handed on.
fn out_of_turn(body: &str) -> String {
    let mut text = body.to_owned();
    for call in TURNS {
        while let Some(at) = text.find(call) {
            let open = at + call.len() - 1;
            text.replace_range(at..close_of(&text, open), "()");
        }
    }
    for bound in ["= move ||", "= move |"] {
        while let Some(at) = text.find(bound) {
            let rest = &text[at..];
            let line = rest.find('\n').unwrap_or(rest.len());
            // One that goes over several lines ends where its own indentation does.
            let end =
                if rest[..line].ends_with(['{', '=']) { rest.find("\n    };") } else { Some(line) };
            text.replace_range(at..at + end.unwrap_or(line), "");
        }
    }
    text
}

/// Just behind the bracket that closes the one at `open`.
fn close_of(text: &str, open: usize) -> usize {
    let mut depth = 0;
    for (at, letter) in text[open..].char_indices() {
        match letter {
            '(' => depth += 1,
            ')' => depth -= 1,
            _ => {}
        }
        if depth == 0 {
            return open + at + 1;
        }
    }
    text.len()
}

fn handlers(folder: &Path, found: &mut Vec<(String, String)>) {
    for entry in std::fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("an entry").path();
        if path.is_dir() {
            handlers(&path, found);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let text = std::fs::read_to_string(&path).expect("a source");
            for part in text.split("\npub(crate) async fn ").skip(1) {
                let (head, rest) = part.split_once('{').expect("a body");
                let body = rest.split("\n}\n").next().expect("its end");
                if [": For<", ": Job", ": &Job"].iter().any(|takes| head.contains(takes)) {
                    let name = head.split('(').next().expect("a name");
                    found.push((format!("{}: {name}", path.display()), body.to_owned()));
                }
            }
        }
    }
}

#[test]
fn what_is_worded_or_written_of_a_job_takes_its_turn() {
    let mut found = Vec::new();
    handlers(&Path::new(env!("CARGO_MANIFEST_DIR")).join("src"), &mut found);
    assert!(found.len() > 60, "only {} handlers were found", found.len());
    let held: Vec<String> = found
        .iter()
        .filter_map(|(name, body)| {
            let rest = out_of_turn(body);
            let heavy = HEAVY.iter().find(|call| rest.contains(*call))?;
            Some(format!("{name} calls {heavy}…"))
        })
        .collect();
    assert!(held.is_empty(), "on the request threads:\n{}", held.join("\n"));
}

#[test]
fn the_law_sees_a_page_that_is_printed_where_it_is_asked_for() {
    let bad = "\n    let page = view(&job);\n    html(&page)\n";
    assert!(out_of_turn(bad).contains("html("));
    let good = "\n    let work = move || {\n        page().render()\n    };\n    job.compute(work).await??\n";
    assert!(!out_of_turn(good).contains(".render()"));
    let good = "printed(job, move |job| Ok(Page { name: json::write(&job) })).await";
    assert!(!out_of_turn(good).contains("::write("));
}
