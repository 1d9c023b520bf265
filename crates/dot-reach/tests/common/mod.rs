//! The program as a person starts it, and just enough HTTP to talk to it.
#![allow(dead_code, reason = "each test file uses its own part")]
#![expect(clippy::expect_used, reason = "a program that does not answer has failed the test")]

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Output, Stdio};

/// Runs a command to its end.
pub(crate) fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dot-reach"))
        .args(arguments)
        .output()
        .expect("the program starts")
}

/// The JSON that a command prints.
pub(crate) fn json(arguments: &[&str]) -> serde_json::Value {
    let output = run(arguments);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).expect("it prints JSON")
}

/// A server that is killed when the test ends.
pub(crate) struct Server {
    pub(crate) child: Child,
    pub(crate) client: Client,
}

/// Whoever talks to a server.
#[derive(Clone)]
pub(crate) struct Client {
    pub(crate) address: String,
}

/// An answer.
pub(crate) struct Answer {
    pub(crate) status: u16,
    pub(crate) head: String,
    pub(crate) body: String,
}

impl Server {
    /// Starts the program and waits for its address.
    pub(crate) fn start(arguments: &[&str]) -> Self {
        let mut program = Command::new(env!("CARGO_BIN_EXE_dot-reach"));
        program.args(arguments).args(["--port", "0"]);
        Self::of(program)
    }

    /// The same, where no file may grow beyond so many kilobytes: as on a disk that is full.
    pub(crate) fn cramped(arguments: &[&str], kilobytes: u32) -> Self {
        let mut shell = Command::new("bash");
        let limit = format!("trap '' XFSZ; ulimit -f {kilobytes}; exec \"$0\" \"$@\"");
        shell.args(["-c", &limit, env!("CARGO_BIN_EXE_dot-reach")]);
        shell.args(arguments).args(["--port", "0"]);
        Self::of(shell)
    }

    fn of(mut program: Command) -> Self {
        let mut child = program.stdout(Stdio::piped()).spawn().expect("the program starts");
        let mut line = String::new();
        let out = child.stdout.take().expect("its output is piped");
        BufReader::new(out).read_line(&mut line).expect("it says its address");
        let address = line.trim().rsplit("http://").next().expect("an address").to_owned();
        Self { child, client: Client { address } }
    }
}

impl std::ops::Deref for Server {
    type Target = Client;
    fn deref(&self) -> &Client {
        &self.client
    }
}

impl Client {
    /// Sends one request; nothing when the server is gone.
    pub(crate) fn ask(
        &self,
        method: &str,
        path: &str,
        headers: &str,
        body: &str,
    ) -> Option<Answer> {
        let mut stream = TcpStream::connect(&self.address).ok()?;
        let length = body.len();
        let host = if headers.to_lowercase().contains("host:") {
            String::new()
        } else {
            format!("host: {}\r\n", self.address)
        };
        write!(
            stream,
            "{method} {path} HTTP/1.1\r\n{host}connection: close\r\ncontent-length: {length}\r\n{headers}\r\n{body}"
        )
        .ok()?;
        let mut bytes = Vec::new();
        stream.read_to_end(&mut bytes).ok()?;
        let text = String::from_utf8_lossy(&bytes).into_owned();
        let (head, body) = text.split_once("\r\n\r\n")?;
        let status = head.split(' ').nth(1)?.parse().ok()?;
        Some(Answer { status, head: head.to_owned(), body: body.to_owned() })
    }

    pub(crate) fn get(&self, path: &str) -> Answer {
        self.ask("GET", path, "", "").expect("the server answers")
    }

    /// Posts JSON as a page of this server does.
    pub(crate) fn post(&self, path: &str, body: &serde_json::Value) -> Option<Answer> {
        let headers =
            format!("origin: http://{}\r\ncontent-type: application/json\r\n", self.address);
        self.ask("POST", path, &headers, &body.to_string())
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _gone_already = self.child.kill();
        let _reaped = self.child.wait();
    }
}
