//! What kinds of values are hidden, and what is done about each.

/// What a hidden value is. Its name is the word in the stand-in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Class {
    /// A payment card's number (ISO/IEC 7812).
    Card,
    /// A bank account's number (ISO 13616).
    Iban,
    /// A JSON Web Token (RFC 7519).
    Jwt,
    /// A password, in a field or in a URL.
    Password,
    /// What a password was turned into to be stored.
    Hash,
    /// An access token, sent as bearer or held in a field.
    Token,
    /// User and password of HTTP basic authentication (RFC 7617).
    Basic,
    /// The value of a cookie.
    Cookie,
    /// An API key or a private key.
    Key,
    /// What proves that a request or a URL was signed.
    Signature,
    /// A short number that only its owner knows.
    Pin,
    /// Anything else whose name says that it is secret.
    #[default]
    Secret,
    /// The id of a session, logged under such a name.
    Session,
    /// A mail address.
    Email,
    /// An address of the internet protocol.
    Ip,
    /// A telephone number.
    Phone,
    /// A person's name.
    Person,
    /// Where somebody lives.
    Address,
    /// A date of birth, or a number that a state gave a person.
    Identity,
}

/// What the classes have in common.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Group {
    /// Who has it can get in.
    Credential,
    /// Ids of sessions.
    Session,
    /// It tells who somebody is.
    Personal,
}

/// What is done about a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Action {
    /// A stand-in takes its place: `«token·4e1b77»`.
    Hide,
    /// Its beginning stays, so that people can tell it from others: `«9f3a…·4e1b77»`.
    Shorten,
    /// It stays.
    Keep,
}

impl Class {
    /// All of them.
    pub const ALL: [Self; 19] = [
        Self::Card,
        Self::Iban,
        Self::Jwt,
        Self::Password,
        Self::Hash,
        Self::Token,
        Self::Basic,
        Self::Cookie,
        Self::Key,
        Self::Signature,
        Self::Pin,
        Self::Secret,
        Self::Session,
        Self::Email,
        Self::Ip,
        Self::Phone,
        Self::Person,
        Self::Address,
        Self::Identity,
    ];

    /// The word in the stand-in.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Card => "card",
            Self::Iban => "iban",
            Self::Jwt => "jwt",
            Self::Password => "password",
            Self::Hash => "hash",
            Self::Token => "token",
            Self::Basic => "basic",
            Self::Cookie => "cookie",
            Self::Key => "key",
            Self::Signature => "signature",
            Self::Pin => "pin",
            Self::Secret => "secret",
            Self::Session => "session",
            Self::Email => "email",
            Self::Ip => "ip",
            Self::Phone => "phone",
            Self::Person => "person",
            Self::Address => "address",
            Self::Identity => "identity",
        }
    }

    /// The class of a name.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|class| class.name() == name)
    }

    /// What it has in common with others.
    #[must_use]
    pub fn group(self) -> Group {
        match self {
            Self::Session => Group::Session,
            Self::Email
            | Self::Ip
            | Self::Phone
            | Self::Person
            | Self::Address
            | Self::Identity => Group::Personal,
            _ => Group::Credential,
        }
    }

    pub(super) fn index(self) -> usize {
        self as usize
    }
}

impl Group {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Credential, Self::Session, Self::Personal];

    /// Its name, as settings have it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Credential => "credentials",
            Self::Session => "sessions",
            Self::Personal => "personal",
        }
    }
}

impl Action {
    /// The action of a name.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        [Self::Hide, Self::Shorten, Self::Keep].into_iter().find(|action| action.name() == name)
    }

    /// Whether less is left to see than by another action.
    #[must_use]
    pub fn is_stricter(self, than: Self) -> bool {
        let rank = |action| match action {
            Self::Keep => 0,
            Self::Shorten => 1,
            Self::Hide => 2,
        };
        rank(self) > rank(than)
    }

    /// Its name, as settings have it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Hide => "hide",
            Self::Shorten => "shorten",
            Self::Keep => "keep",
        }
    }
}
