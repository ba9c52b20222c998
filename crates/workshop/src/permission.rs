//! What each role may do: one table for pages, the API, jobs and tests.

use store::person::Role;

/// A kind of thing to do. Each use case names its own at its first line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Action {
    /// Their own account: password, PIN, sessions, what is kept about them.
    OwnAccount,
    /// See runs with their readings and verdicts, travellers, timers, the logbook, what needs attention.
    ReadRuns,
    /// Start runs, log what happens, measure, sign, command the winder, set timers.
    Wind,
    /// See spools and parts.
    ReadStock,
    /// Add, check, move and correct spools and parts.
    ChangeStock,
    /// See which instruments there are.
    ReadInstruments,
    /// Add, simulate and retire instruments.
    ChangeInstruments,
    /// See designs with their recipes, targets and costs, and try changes of them.
    ReadDesigns,
    /// Save designs, their names, targets, sweeps and parts; share them.
    ChangeDesigns,
    /// See what the runs say as a whole: consistency, causes, calibration, matching, experiments.
    ReadAnalysis,
    /// Match coils, run experiments, decide about calibration, judge runs again.
    ChangeAnalysis,
    /// See orders: who asked, for what, by when, and at what price.
    ReadOrders,
    /// Take and change orders, and what is promised.
    ChangeOrders,
    /// Decide how each format is worked: its traveller.
    ChangeTravellers,
    /// Bring runs in from files.
    ImportRuns,
    /// See the people of the workshop, invite, change roles, disable.
    ManagePeople,
    /// Decide about units, limits, stations and instruments' networks.
    ManageSettings,
    /// Read the audit trail.
    ReadAudit,
    /// Make, check and download backups.
    BackUp,
}

impl Action {
    /// Every action.
    pub const ALL: &[Self] = <Self as strum::VariantArray>::VARIANTS;

    /// The least role that may do it. Roles are ordered but for one thing: a viewer sees designs, an operator only what a
    /// run needs of them.
    const fn least(self) -> Role {
        match self {
            Self::OwnAccount
            | Self::ReadRuns
            | Self::ReadStock
            | Self::ReadInstruments
            | Self::ReadDesigns
            | Self::ReadAnalysis => Role::Viewer,
            Self::Wind | Self::ChangeStock => Role::Operator,
            Self::ChangeInstruments
            | Self::ChangeDesigns
            | Self::ChangeAnalysis
            | Self::ReadOrders
            | Self::ChangeOrders
            | Self::ChangeTravellers
            | Self::ImportRuns => Role::Designer,
            Self::ManagePeople | Self::ManageSettings | Self::ReadAudit | Self::BackUp => Role::Owner,
        }
    }

    /// Whether a role may do it.
    #[must_use]
    pub const fn is_allowed(self, role: Role) -> bool {
        let is_recipe = matches!(self, Self::ReadDesigns | Self::ReadAnalysis);
        role as u8 >= self.least() as u8 && !(is_recipe && matches!(role, Role::Operator))
    }

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        self.into()
    }
}

#[cfg(test)]
mod tests {
    use super::Action;
    use store::person::Role;
    use strum::VariantArray as _;

    /// The table as docs/security.md prints it: an action a line, then viewer, operator, designer, owner.
    const TABLE: &str = "
own-account         yes yes yes yes
read-runs           yes yes yes yes
wind                no  yes yes yes
read-stock          yes yes yes yes
change-stock        no  yes yes yes
read-instruments    yes yes yes yes
change-instruments  no  no  yes yes
read-designs        yes no  yes yes
change-designs      no  no  yes yes
read-analysis       yes no  yes yes
change-analysis     no  no  yes yes
read-orders         no  no  yes yes
change-orders       no  no  yes yes
change-travellers   no  no  yes yes
import-runs         no  no  yes yes
manage-people       no  no  no  yes
manage-settings     no  no  no  yes
read-audit          no  no  no  yes
back-up             no  no  no  yes";

    #[test]
    fn each_role_may_do_what_the_table_says() {
        let lines: Vec<&str> = TABLE.trim().lines().collect();
        assert_eq!(lines.len(), Action::VARIANTS.len());
        for (line, action) in lines.iter().zip(Action::VARIANTS) {
            let mut words = line.split_whitespace();
            assert_eq!(words.next(), Some(action.word()));
            for (word, role) in words.zip(Role::VARIANTS) {
                assert_eq!(word == "yes", action.is_allowed(*role), "{action:?} by {role:?}");
            }
        }
    }

    #[test]
    fn the_handbook_prints_this_table() {
        let page = include_str!("../../../docs/security.md");
        for line in TABLE.trim().lines() {
            let cells: Vec<&str> = line.split_whitespace().collect();
            let row = format!("| {} |", cells.join(" | "));
            assert!(page.contains(&row), "docs/security.md lacks {row}");
        }
    }
}
