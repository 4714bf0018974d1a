//! `reference build`, `reference update` and `reference describe`

use super::{Definition, commands};

commands! {
    build,
    update,
    describe,
}

pub(super) const COMMAND: Definition = Definition::Several {
    name: "reference",
    about: "The index that addresses are matched against",
    commands: COMMANDS,
};
