//! `chronaxis causes`.

use chronaxis_diagnosis::knowledge::causes::{CAUSES, cause};
use chronaxis_diagnosis::report::catalogue;
use chronaxis_model::found::CauseId;
use chronaxis_model::settings::nearest;

use crate::args::{Causes, TextOrJson};
use crate::error::Failure;
use crate::render::text::Text;
use crate::render::{json, out};

pub(crate) fn run(args: &Causes) -> Result<u8, Failure> {
    let mut out = out(args.plain);
    let only = match &args.id {
        None => None,
        Some(id) => {
            let known = CauseId::from_id(id).and_then(cause);
            Some(known.ok_or_else(|| unknown(id))?)
        }
    };
    if args.output == TextOrJson::Json {
        json::catalogue(&mut out, only)?;
        return Ok(0);
    }
    let blocks = match only {
        None => catalogue::all(),
        Some(entry) => catalogue::one(entry),
    };
    Text::default().blocks(&mut out, &blocks)?;
    Ok(0)
}

fn unknown(id: &str) -> Failure {
    let hint = match nearest(id, CAUSES.iter().map(|c| c.id.as_str())) {
        Some(near) => format!("; nearest: {near}"),
        None => "; chronaxis causes lists them".to_owned(),
    };
    Failure::NoSuchCause {
        id: chronaxis_model::shown::word(id),
        hint,
    }
}
