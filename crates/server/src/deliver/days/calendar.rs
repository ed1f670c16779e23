use super::{DayDocument, called, lines};
use crate::ApiError;
use crate::dto::DaysDto;
use crate::work::days::Days;
use icalendar::{Component, Event, EventLike};

/// What each person does, as events of a calendar (RFC 5545), in UTC.
pub(super) struct Calendar;

impl DayDocument for Calendar {
    fn name(&self) -> &'static str {
        "day.ics"
    }

    fn media_type(&self) -> &'static str {
        "text/calendar; charset=utf-8"
    }

    fn write(&self, days: &Days, dto: &DaysDto) -> Result<Vec<u8>, ApiError> {
        let mut calendar = icalendar::Calendar::empty();
        calendar
            .append_property(("VERSION", "2.0"))
            .append_property(("PRODID", "-//Vistazo//Days//EN"))
            .name(&days.name);
        for (p, person) in days.settings.people.iter().enumerate() {
            for (k, line) in lines(dto, p).into_iter().enumerate() {
                let (Some(first), Some(last)) = (line.first(), line.last()) else { continue };
                let mut event = Event::new();
                // the same line of the same person is the same event when it is read in again
                event
                    .uid(&format!("{p}-{k}-{}.vistazo", days.job))
                    .summary(&format!("{person}: {}", called(&line)))
                    .starts(days.moment(first.from))
                    .ends(days.moment(last.to));
                let up: Vec<&str> = line.iter().flat_map(|s| &s.up).map(String::as_str).collect();
                if !up.is_empty() {
                    event.description(&format!("Targets up: {}", up.join(", ")));
                }
                calendar.push(event.done());
            }
        }
        Ok(calendar.to_string().into_bytes())
    }
}
