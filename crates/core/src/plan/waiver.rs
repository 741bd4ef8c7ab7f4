//! Written permissions: one risk, one object, a reason, a last day.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::risk::{Clearance, Risk, RiskKind};
use crate::model::is_like;

/// One waiver of `waivers.toml`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Waiver {
    /// The name of the risk: `loses-column`.
    pub risk: String,
    /// The object or column at risk: `column hives.paint_colour`. `*` matches any characters, `?` one: `index tmp_*`.
    pub object: String,
    /// Why it is acceptable.
    pub reason: String,
    /// The last day on which it holds, `YYYY-MM-DD`.
    pub until: String,
    /// Where a column's type gets or loses its time zone: the zone in which its values are, `Europe/Berlin`.
    #[serde(default, rename = "convert-as", skip_serializing_if = "Option::is_none")]
    pub convert_as: Option<String>,
}

/// The time zones that waivers name for columns.
pub fn zones(waivers: &[Waiver]) -> Vec<(String, String)> {
    let zones = waivers.iter().filter_map(|waiver| Some((waiver.object.trim().to_owned(), waiver.convert_as.clone()?)));
    zones.collect()
}

/// The whole file.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "Wevrun waivers")]
pub struct WaiverFile {
    /// The waivers.
    #[serde(default)]
    pub waiver: Vec<Waiver>,
}

/// A mistake in one waiver.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("waiver {number}: {problem}")]
pub struct WaiverError {
    /// Which one, from 1.
    pub number: usize,
    /// The mistake.
    pub problem: String,
}

/// The waivers of a file, each checked.
pub fn read_waivers(file: WaiverFile) -> Result<Vec<Waiver>, WaiverError> {
    for (index, waiver) in file.waiver.iter().enumerate() {
        let wrong = |problem: String| Err(WaiverError { number: index + 1, problem });
        if !waiver.risk.parse::<RiskKind>().is_ok_and(RiskKind::can_be_waived) {
            let known: Vec<_> =
                RiskKind::ALL.into_iter().filter(|kind| kind.can_be_waived()).map(RiskKind::name).collect();
            return wrong(format!(
                "`{}` is no risk that a waiver can permit; it can permit {}",
                waiver.risk,
                known.join(", ")
            ));
        }
        if waiver.reason.trim().is_empty() {
            return wrong("the reason is empty; write why the risk is acceptable".to_owned());
        }
        if !is_date(&waiver.until) {
            return wrong(format!("`{}` is not a date; write it like 2026-12-31", waiver.until));
        }
    }
    Ok(file.waiver)
}

/// Whether a text is a day of the calendar, written `YYYY-MM-DD`.
pub fn is_date(text: &str) -> bool {
    chrono::NaiveDate::parse_from_str(text, "%Y-%m-%d").is_ok_and(|day| day.format("%Y-%m-%d").to_string() == text)
}

impl Waiver {
    /// Whether it permits this risk on this day (`YYYY-MM-DD`).
    pub fn permits(&self, risk: &Risk, today: &str) -> bool {
        self.risk == risk.kind.name()
            && (self.object.trim().eq_ignore_ascii_case(&risk.object)
                || is_like(self.object.trim(), &risk.object, true))
            && today <= self.until.as_str()
    }

    /// The clearance that it gives.
    pub fn clearance(&self) -> Clearance {
        Clearance::Waived { reason: self.reason.trim().to_owned(), until: self.until.clone() }
    }
}
