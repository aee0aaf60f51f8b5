//! Questions about the first stretch: from this machine to the next device.

use chronaxis_model::fact::Fact;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::{PathView, Symptom};

/// Whether the next device answers at all: what stands before it is this side's own.
pub(in crate::knowledge::questions) fn next_device(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !matches!(symptom, Symptom::PortSilent | Symptom::PortUnreachable) {
        return None;
    }
    if let Some(silent) = view.next_silent() {
        let word = match silent.is_host {
            true => answers::NextDevice::HostSilent,
            false => answers::NextDevice::DeviceSilent,
        };
        return answer(word, silent.text());
    }
    let answering = view.find(|fact| match fact {
        Fact::NextDevice {
            address,
            answers: Some(true),
            ..
        } => Some(*address),
        _ => None,
    })?;
    match view.gateway() {
        Some(_) => answer(
            answers::NextDevice::DeviceAnswers,
            format!("{answering}, the gateway, answers"),
        ),
        None => answer(
            answers::NextDevice::HostAnswers,
            format!("{answering} answers to its address on this machine's own network"),
        ),
    }
}
