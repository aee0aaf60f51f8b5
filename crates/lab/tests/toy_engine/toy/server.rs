//! The server's half, for the tests.

use std::sync::Arc;

use chronaxis_lab::stand_in::{Counted, Reaction, Server, Service};

pub fn service() -> Service {
    Service::Own(|counted| {
        Box::new(Session {
            counted: counted.clone(),
        })
    })
}

struct Session {
    counted: Arc<Counted>,
}

impl Server for Session {
    fn opened(&mut self) -> Vec<Reaction> {
        vec![Reaction::Send(b"TOYBASE 1\n".to_vec())]
    }

    fn received(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        let answer: &[u8] = match bytes {
            b"WHERE AM I\n" => b"AT sailings\n",
            b"purser lantern-oil-42\n" => {
                self.counted.sign_in();
                self.counted.session();
                b"WELCOME\n"
            }
            _ => {
                self.counted.sign_in();
                b"WRONG PASSWORD\n"
            }
        };
        vec![Reaction::Send(answer.to_vec())]
    }
}
