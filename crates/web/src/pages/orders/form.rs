//! The form of an order.

use presentation::field::{Choice, Field};
use presentation::form_fields::{Errors, FormFields};
use presentation::format;
use presentation::read::{optional, plain};
use store::order::OrderState;
use store::rewind::Purpose;
use store::{PickupSetId, RevisionId, RewindId};
use time::Date;
use time::macros::format_description;
use workshop::{MOST_LINES, MOST_OF_A_LINE, OrderDraft, OrderItem, OrderLine};

/// Lines that a form shows empty beside those that are filled.
const SPARE_LINES: usize = 2;

/// A line's fields.
pub(super) struct LineFields {
    pub item: Field,
    pub quantity: Field,
    pub options: Field,
}

/// States with their words.
pub(super) const STATES: [(OrderState, &str); 5] = [
    (OrderState::Asked, "asked"),
    (OrderState::Agreed, "agreed"),
    (OrderState::InWork, "in work"),
    (OrderState::Ready, "ready"),
    (OrderState::Gone, "gone"),
];

/// A state's word.
pub(super) fn state_word(state: OrderState) -> &'static str {
    STATES.iter().find(|s| s.0 == state).map_or("", |s| s.1)
}

pub(super) fn item_key(item: OrderItem) -> String {
    match item {
        OrderItem::Revision(id) => format!("r{id}"),
        OrderItem::Set(id) => format!("s{id}"),
        OrderItem::Rewind(id) => format!("w{id}"),
    }
}

fn item_of(key: &str) -> Option<OrderItem> {
    match key.split_at_checked(1)? {
        ("r", id) => id.parse().ok().map(|id| OrderItem::Revision(RevisionId(id))),
        ("w", id) => id.parse().ok().map(|id| OrderItem::Rewind(RewindId(id))),
        ("s", id) => id.parse().ok().map(|id| OrderItem::Set(PickupSetId(id))),
        _ => None,
    }
}

/// The form that shows an order.
pub(super) fn filled(draft: &OrderDraft) -> FormFields {
    let mut form = FormFields::default();
    form.set("customer", draft.customer.clone());
    form.set("contact", draft.contact.clone());
    form.set("promised", draft.promised_on.map_or_else(String::new, |d| d.to_string()));
    let state: &str = draft.state.into();
    form.set("state", state);
    form.set("price", draft.price.map_or_else(String::new, |p| format::plain(p, 2)));
    form.set("notes", draft.notes.clone());
    for (i, line) in draft.lines.iter().enumerate() {
        form.set(format!("item{i}"), item_key(line.item));
        form.set(format!("quantity{i}"), line.quantity.to_string());
        form.set(format!("options{i}"), line.options.clone());
    }
    form
}

/// The order that a form says, and what cannot be read of it.
pub(super) fn read(form: &FormFields) -> (OrderDraft, Errors) {
    let mut errors = Errors::new();
    let promised = form.get("promised");
    let promised_on = if promised.is_empty() {
        None
    } else {
        let day = Date::parse(promised, format_description!("[year]-[month]-[day]")).ok();
        if day.is_none_or(|d| !(2000..=2100).contains(&d.year())) {
            errors.insert("promised".into(), "A day such as 2026-12-04.".into());
        }
        day
    };
    let mut lines = Vec::new();
    for i in 0..MOST_LINES {
        let Some(item) = item_of(form.get(&format!("item{i}"))) else { continue };
        let name = format!("quantity{i}");
        let typed = if form.get(&name).is_empty() { "1" } else { form.get(&name) };
        let quantity = typed.parse().ok().filter(|n| (1..=MOST_OF_A_LINE).contains(n));
        if quantity.is_none() {
            errors.insert(name, format!("A whole number from 1 to {MOST_OF_A_LINE}."));
        }
        let options = form.get(&format!("options{i}")).to_owned();
        lines.push(OrderLine { item, quantity: quantity.unwrap_or(1), options });
    }
    let draft = OrderDraft {
        customer: form.get("customer").to_owned(),
        contact: form.get("contact").to_owned(),
        promised_on,
        state: form.get("state").parse().unwrap_or_default(),
        price: optional(form, &mut errors, "price", (0.0, 1e7), plain),
        lines,
        notes: form.get("notes").to_owned(),
    };
    for (at, line) in draft.problems() {
        match at {
            "customer" => errors.insert("customer".into(), "A name or a mark, in up to 80 letters.".into()),
            "lines" => errors.insert("item0".into(), "Choose what is asked for.".into()),
            "quantity" => errors.insert(format!("options{line}"), "Up to 1,000 letters.".into()),
            other => errors.insert(other.into(), "This is too long, or out of range.".into()),
        };
    }
    (draft, errors)
}

/// The fields above the lines.
pub(super) fn head(form: &FormFields, errors: &Errors) -> Vec<Field> {
    let states = STATES.iter().map(|(state, word)| Choice::new(<&str>::from(*state), *word)).collect();
    let filled = |f: Field| f.filled(form, errors);
    vec![
        filled(Field::typed("customer", "Customer", "A name, or only a mark.")),
        filled(Field::typed("contact", "Contact", "")),
        filled(Field { kind: "date", ..Field::typed("promised", "Promised for", "") }),
        filled(Field::chosen("state", "State", "", states)),
        filled(Field::typed("price", "Price", "")),
        filled(Field::typed("notes", "Notes", "")).wide(),
    ]
}

/// The fields of the lines, with some empty ones.
pub(super) fn lines(form: &FormFields, errors: &Errors, items: &[(String, String)]) -> Vec<LineFields> {
    let filled = (0..MOST_LINES).filter(|i| !form.get(&format!("item{i}")).is_empty()).count();
    (0..(filled + SPARE_LINES).min(MOST_LINES))
        .map(|i| {
            let choices = std::iter::once(Choice::new("", "nothing"))
                .chain(items.iter().map(|(key, name)| Choice::new(key.clone(), name.clone())))
                .collect();
            LineFields {
                item: Field::chosen(&format!("item{i}"), "What", "", choices).filled(form, errors),
                quantity: Field::typed(&format!("quantity{i}"), "How many", "").filled_or(form, errors, "1"),
                options: Field::typed(&format!("options{i}"), "Lead colours, wax, cover", "")
                    .filled(form, errors),
            }
        })
        .collect()
}

/// What can be ordered: key and name.
pub(super) fn items(
    sets: &[store::pickup_set::PickupSetRow],
    revisions: &[store::design::RevisionRow],
    rewinds: &[store::rewind::RewindRow],
) -> Vec<(String, String)> {
    let sets = sets.iter().map(|s| (item_key(OrderItem::Set(s.id)), format!("set: {}", s.name)));
    let revisions =
        revisions.iter().map(|r| (item_key(OrderItem::Revision(r.id)), format!("{} r{}", r.name, r.number)));
    let rewinds = rewinds
        .iter()
        .filter(|r| r.purpose.0 == Purpose::Rewind)
        .map(|r| (item_key(OrderItem::Rewind(r.id)), format!("rewind: {}", r.name)));
    sets.chain(rewinds).chain(revisions).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    #[test]
    fn an_order_comes_back_through_its_form() {
        let draft = OrderDraft {
            customer: "A. of the harbour".into(),
            contact: "calls on Fridays".into(),
            promised_on: Some(date!(2026 - 12 - 04)),
            state: OrderState::Agreed,
            price: Some(240.5),
            lines: vec![
                OrderLine {
                    item: OrderItem::Revision(RevisionId(7)),
                    quantity: 2,
                    options: "red lead".into(),
                },
                OrderLine { item: OrderItem::Set(PickupSetId(3)), quantity: 1, options: String::new() },
                OrderLine { item: OrderItem::Rewind(RewindId(5)), quantity: 1, options: String::new() },
            ],
            notes: "no wax".into(),
        };
        let (back, errors) = read(&filled(&draft));
        assert_eq!((back, errors), (draft, Errors::new()));
    }

    #[test]
    fn what_cannot_be_is_told_at_its_field() {
        let mut form = FormFields::default();
        for (name, value) in
            [("promised", "soon"), ("price", "much"), ("item0", "r7"), ("quantity0", "0.5"), ("item1", "x9")]
        {
            form.set(name, value);
        }
        let (_, errors) = read(&form);
        let named: Vec<&str> = errors.keys().map(String::as_str).collect();
        assert_eq!(named, ["customer", "price", "promised", "quantity0"]);
    }
}
