//! What is done about each class, at the desk and in what leaves it.

use super::{Action, Class, Group, clean::Who};

/// What is done about each class.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Policy {
    desk: [Action; Class::ALL.len()],
    anyone: [Action; Class::ALL.len()],
    /// Words without a pattern are hidden too.
    pub entropy: bool,
}

impl Default for Policy {
    /// Credentials are hidden, ids of sessions shortened; what tells who somebody is stays at the desk and is hidden in
    /// all that leaves it.
    fn default() -> Self {
        let mut policy = Self::strictest();
        for class in Class::ALL {
            match class.group() {
                Group::Credential => {}
                Group::Session => policy.set(class, Action::Shorten),
                Group::Personal => policy.desk[class.index()] = Action::Keep,
            }
        }
        policy
    }
}

impl Policy {
    /// All is hidden from everyone.
    #[must_use]
    pub fn strictest() -> Self {
        let all = [Action::Hide; Class::ALL.len()];
        Self { desk: all, anyone: all, entropy: false }
    }

    /// Decides about a class for the desk and for what leaves it.
    pub fn set(&mut self, class: Class, action: Action) {
        self.desk[class.index()] = action;
        self.anyone[class.index()] = action;
    }

    /// Decides about a class for the desk.
    pub fn set_at_the_desk(&mut self, class: Class, action: Action) {
        self.desk[class.index()] = action;
    }

    /// Decides about a class for what leaves the desk.
    pub fn set_for_anyone(&mut self, class: Class, action: Action) {
        self.anyone[class.index()] = action;
    }

    /// The same where what tells who somebody is may leave the desk as it is seen there. Credentials stay hidden.
    #[must_use]
    pub fn sharing_personal(&self) -> Self {
        let mut policy = self.clone();
        for class in Class::ALL.into_iter().filter(|class| class.group() == Group::Personal) {
            policy.anyone[class.index()] = policy.desk[class.index()];
        }
        policy
    }

    /// The classes that stay though they would be hidden or shortened by default.
    #[must_use]
    pub fn weakened(&self) -> Vec<Class> {
        let usual = Self::default();
        let weaker = |class: &Class| {
            let at = class.index();
            usual.desk[at].is_stricter(self.desk[at])
                || usual.anyone[at].is_stricter(self.anyone[at])
        };
        Class::ALL.into_iter().filter(weaker).collect()
    }

    /// What is done about a class where the desk draws it.
    #[must_use]
    pub fn at_the_desk(&self, class: Class) -> Action {
        self.desk[class.index()]
    }

    /// What is done about a class in what leaves the desk.
    #[must_use]
    pub fn for_anyone(&self, class: Class) -> Action {
        self.anyone[class.index()]
    }

    pub(super) fn action(&self, who: Who, class: Class) -> Action {
        match who {
            Who::Desk => self.at_the_desk(class),
            Who::Anyone => self.for_anyone(class),
        }
    }

    /// Whether nothing is hidden.
    pub(super) fn hides_nothing(&self, who: Who) -> bool {
        Class::ALL.into_iter().all(|class| self.action(who, class) == Action::Keep)
    }

    /// Whether anything that tells who somebody is has to be looked for.
    pub(super) fn minds_people(&self, who: Who) -> bool {
        let personal = Class::ALL.into_iter().filter(|class| class.group() == Group::Personal);
        personal.into_iter().any(|class| self.action(who, class) != Action::Keep)
    }
}
