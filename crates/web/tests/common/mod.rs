//! The application behind its real router, with verbs to talk to it.
#![allow(dead_code, reason = "each test file uses its own part")]
#![expect(clippy::expect_used, reason = "an application that does not answer has failed the test")]

use std::future::Future;
use std::time::Duration;

use actix_web::dev::{Service, ServiceResponse};
use actix_web::http::Method;
use actix_web::web::Data;
use actix_web::{rt, test};
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_standin::houses;
use dot_reach_store::Store;
use dot_reach_web::{Server, Settings, application};
use serde_json::Value;

thread_local! {
    /// What was begun by one request goes on through the next.
    static RUNTIME: rt::Runtime = rt::Runtime::new().expect("a runtime");
}

/// An application of its own, with the demo jobs, spoken to by one person at one window.
pub(crate) struct TestApp {
    app: Data<Server>,
    headers: Vec<(&'static str, String)>,
}

/// An answer.
#[derive(Debug)]
pub(crate) struct Answer {
    pub(crate) status: u16,
    pub(crate) headers: Vec<(String, String)>,
    pub(crate) body: String,
    /// How long it was on the way, in bytes.
    pub(crate) bytes: usize,
}

impl Answer {
    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.body).expect("an answer in JSON")
    }

    /// What the browser is given to send from now on.
    pub(crate) fn cookie(&self) -> String {
        let set = self.headers.iter().filter(|(n, _)| n == "set-cookie");
        let pairs = set.filter_map(|(_, value)| value.split(';').next().map(str::to_owned));
        pairs.filter(|pair| !pair.ends_with('=')).collect::<Vec<_>>().join("; ")
    }

    pub(crate) fn header(&self, name: &str) -> Option<&str> {
        self.headers.iter().find(|(n, _)| n == name).map(|(_, value)| value.as_str())
    }
}

impl TestApp {
    /// Without a job.
    pub(crate) fn empty() -> Self {
        Self::of(Store::fleeting().expect("room for a database"))
    }

    /// With the demo jobs.
    pub(crate) fn demo() -> Self {
        let store = Store::fleeting().expect("room for a database");
        for name in houses::NAMES {
            let job = houses::named(name).expect("a demo house");
            let at = "2026-03-12T17:00:00Z";
            store.create_told(&job.site, &job.record, None, at).expect("a job");
        }
        Self::of(store)
    }

    /// With jobs as they are given.
    pub(crate) fn of_jobs(jobs: &[(Site, Record)]) -> Self {
        let store = Store::fleeting().expect("room for a database");
        for (site, record) in jobs {
            store.create_told(site, record, None, "2026-03-12T17:00:00Z").expect("a job");
        }
        Self::of(store)
    }

    fn of(store: Store) -> Self {
        Self::over(Server::here(store, Settings::default()))
    }

    /// A server as it is, spoken to by nobody who is known.
    pub(crate) fn over(server: Server) -> Self {
        Self { app: Data::new(server), headers: Vec::new() }
    }

    /// The same, spoken to with what this browser was given so far.
    pub(crate) fn with_cookie(&self, cookie: &str) -> Self {
        Self { app: self.app.clone(), headers: vec![("cookie", cookie.to_owned())] }
    }

    /// The addresses that the router knows, as patterns.
    pub(crate) fn patterns(&self) -> Vec<String> {
        let app = self.app.clone();
        let told = RUNTIME.with(|runtime| {
            runtime.block_on(async move {
                let service = test::init_service(application(&app)).await;
                let request =
                    test::TestRequest::with_uri("/healthz").insert_header(("host", "127.0.0.1"));
                let response = service.call(request.to_request()).await.expect("an answer");
                format!("{:?}", response.request().resource_map())
            })
        });
        let pattern =
            regex_lite::Regex::new(r#"patterns: Single\("([^"]*)"\)"#).expect("a pattern");
        let mut all: Vec<String> = pattern
            .captures_iter(&told)
            .map(|found| found[1].to_owned())
            .filter(|p| !p.is_empty())
            .collect();
        all.sort();
        all.dedup();
        all
    }

    /// The same application, spoken to by another person.
    pub(crate) fn as_person(&self, name: &str) -> Self {
        Self { app: self.app.clone(), headers: vec![("cookie", format!("who={name}"))] }
    }

    /// The same application, asked with one more header.
    pub(crate) fn with(&self, name: &'static str, value: &str) -> Self {
        let mut headers = self.headers.clone();
        headers.push((name, value.to_owned()));
        Self { app: self.app.clone(), headers }
    }

    pub(crate) fn ask(&self, method: Method, path: &str, body: Option<&Value>) -> Answer {
        let mut request = test::TestRequest::default()
            .method(method)
            .uri(path)
            .insert_header(("host", "127.0.0.1"));
        for (name, value) in &self.headers {
            request = request.insert_header((*name, value.as_str()));
        }
        if let Some(body) = body {
            request = request.set_json(body);
        }
        self.send(request)
    }

    fn send(&self, request: test::TestRequest) -> Answer {
        let app = self.app.clone();
        RUNTIME.with(|runtime| {
            runtime.block_on(async move {
                let service = test::init_service(application(&app)).await;
                let response = service.call(request.to_request()).await.expect("an answer");
                answer(response).await
            })
        })
    }

    pub(crate) fn get(&self, path: &str) -> Answer {
        self.ask(Method::GET, path, None)
    }

    /// A page once all is worked out that it asks for as a ticket: however slow the machine is.
    pub(crate) fn settled(&self, path: &str) -> Answer {
        loop {
            let page = self.get(path);
            assert_eq!(page.status, 200, "{path}: {}", page.body);
            if !page.body.contains("data-long") {
                return page;
            }
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    pub(crate) fn post(&self, path: &str, body: &Value) -> Answer {
        self.ask(Method::POST, path, Some(body))
    }

    /// Posts a form with a file, and fields beside it.
    pub(crate) fn upload(
        &self,
        path: &str,
        file: (&str, &[u8]),
        fields: &[(&str, &str)],
    ) -> Answer {
        let edge = "edge-of-a-part";
        let mut body = Vec::new();
        for (name, text) in fields {
            let head =
                format!("--{edge}\r\ncontent-disposition: form-data; name=\"{name}\"\r\n\r\n");
            body.extend([head.as_bytes(), text.as_bytes(), b"\r\n"].concat());
        }
        let (name, bytes) = file;
        let head = format!(
            "--{edge}\r\ncontent-disposition: form-data; name=\"{name}\"; filename=\"{name}.bin\"\r\n\
             content-type: application/octet-stream\r\n\r\n"
        );
        body.extend([head.as_bytes(), bytes, format!("\r\n--{edge}--\r\n").as_bytes()].concat());
        let mut request = test::TestRequest::default()
            .method(Method::POST)
            .uri(path)
            .insert_header(("host", "127.0.0.1"))
            .insert_header(("content-type", format!("multipart/form-data; boundary={edge}")));
        for (name, value) in &self.headers {
            request = request.insert_header((*name, value.as_str()));
        }
        self.send(request.set_payload(body))
    }
}

fn answer<B: actix_web::body::MessageBody>(
    response: ServiceResponse<B>,
) -> impl Future<Output = Answer> {
    let status = response.status().as_u16();
    let text = |v: &actix_web::http::header::HeaderValue| v.to_str().unwrap_or("").to_owned();
    let headers = response.headers().iter().map(|(n, v)| (n.to_string(), text(v))).collect();
    async move {
        let bytes = test::read_body(response).await;
        let body = String::from_utf8_lossy(&bytes).into_owned();
        Answer { status, headers, body, bytes: bytes.len() }
    }
}
