//! A pattern: what a component says, in which shape, and what that means.

/// What a message means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Says {
    /// How the attempt stopped: a symptom of the diagnosis, and what is answered beside it.
    Stopped {
        /// The symptom's id, `port/refused`.
        symptom: &'static str,
        /// Questions and answers of the inference, by their ids.
        signals: &'static [(&'static str, &'static str)],
    },
    /// A code decides what it means: of the engine's own list.
    Code,
    /// A driver is missing, or its name is misspelt: the name in the message decides.
    Driver,
    /// It follows from another error. Where it stands alone, this is how the attempt stopped.
    FollowsOn {
        /// The symptom's id; none where it says nothing without the other error.
        alone: Option<&'static str>,
    },
    /// It hides the error. How to get that out of this component.
    Hides {
        /// In a sentence.
        uncover: &'static str,
    },
    /// The connection stood: it is about something else.
    NotTheConnection,
    /// It says only where to, or as whom.
    Beside,
}

/// One pattern.
#[derive(Clone, Copy, Debug)]
pub struct Pattern {
    /// Its id, unique among all.
    pub id: &'static str,
    /// The words, with holes: `{host}`, `{port}`, `{any}`.
    pub shape: &'static str,
    /// The piece of the shape that is looked for, as a range of its bytes.
    pub piece: (usize, usize),
    /// What it means.
    pub says: Says,
    /// The engine, where the component has several.
    pub engine: Option<&'static str>,
    /// Whether the words are so general that any other pattern goes before it.
    pub weak: bool,
    /// Whether its letters must stand in the case in which they are written here.
    pub exact: bool,
    /// The language of the words (BCP 47); empty: English, or none.
    pub language: &'static str,
    /// What else it may mean, in words.
    pub besides: &'static str,
    /// A message that it recognises; names and addresses in it are ours.
    pub example: &'static str,
    /// A text like it that it must not recognise.
    pub near_miss: &'static str,
}

const fn new(id: &'static str, shape: &'static str, says: Says) -> Pattern {
    Pattern {
        id,
        shape,
        piece: crate::shape::piece_of(shape),
        says,
        engine: None,
        weak: false,
        exact: false,
        language: "",
        besides: "",
        example: "",
        near_miss: "",
    }
}

/// How the attempt stopped.
pub(crate) const fn stop(id: &'static str, shape: &'static str, symptom: &'static str) -> Pattern {
    let signals = &[];
    new(id, shape, Says::Stopped { symptom, signals })
}

/// By the code in it.
pub(crate) const fn code(id: &'static str, shape: &'static str) -> Pattern {
    new(id, shape, Says::Code)
}

/// A driver that is missing.
pub(crate) const fn driver(id: &'static str, shape: &'static str) -> Pattern {
    new(id, shape, Says::Driver)
}

/// A consequence of another error.
pub(crate) const fn follows(id: &'static str, shape: &'static str) -> Pattern {
    new(id, shape, Says::FollowsOn { alone: None })
}

/// A consequence of another error, which says something where it stands alone.
pub(crate) const fn follows_or(
    id: &'static str,
    shape: &'static str,
    symptom: &'static str,
) -> Pattern {
    let alone = Some(symptom);
    new(id, shape, Says::FollowsOn { alone })
}

/// An error that hides another.
pub(crate) const fn hides(id: &'static str, shape: &'static str, uncover: &'static str) -> Pattern {
    new(id, shape, Says::Hides { uncover })
}

/// An error after the connection stood.
pub(crate) const fn unrelated(id: &'static str, shape: &'static str) -> Pattern {
    new(id, shape, Says::NotTheConnection)
}

/// Where to, or as whom.
pub(crate) const fn beside(id: &'static str, shape: &'static str) -> Pattern {
    new(id, shape, Says::Beside)
}

impl Pattern {
    /// Answers questions beside the symptom.
    pub(crate) const fn sig(
        mut self,
        answered: &'static [(&'static str, &'static str)],
    ) -> Pattern {
        if let Says::Stopped { symptom, .. } = self.says {
            self.says = Says::Stopped {
                symptom,
                signals: answered,
            };
        }
        self
    }

    /// Any other pattern goes before it.
    pub(crate) const fn weak(mut self) -> Pattern {
        self.weak = true;
        self
    }

    /// In this case of its letters alone.
    pub(crate) const fn exact(mut self) -> Pattern {
        self.exact = true;
        self
    }

    /// Of this engine.
    pub(crate) const fn of(mut self, engine: &'static str) -> Pattern {
        self.engine = Some(engine);
        self
    }

    /// In this language.
    pub(crate) const fn lang(mut self, language: &'static str) -> Pattern {
        self.language = language;
        self
    }

    /// It may mean something else too.
    pub(crate) const fn may(mut self, besides: &'static str) -> Pattern {
        self.besides = besides;
        self
    }

    /// An example.
    pub(crate) const fn eg(mut self, example: &'static str) -> Pattern {
        self.example = example;
        self
    }

    /// A near miss.
    pub(crate) const fn not(mut self, near_miss: &'static str) -> Pattern {
        self.near_miss = near_miss;
        self
    }
}

/// What a component is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// A C library, or a system's own.
    Library,
    /// A driver of a language.
    Driver,
    /// An object mapper, a query builder, a framework.
    Framework,
    /// A pool inside the program.
    Pool,
    /// A pooler or balancer between.
    Between,
    /// A server, in what it tells clients or writes into its log.
    Server,
    /// TLS.
    Tls,
    /// SSH.
    Ssh,
    /// A shell, a container engine, an operating system.
    System,
}

impl Kind {
    /// Its name, for people.
    pub fn title(self) -> &'static str {
        match self {
            Kind::Library => "C libraries and command-line clients",
            Kind::Driver => "drivers",
            Kind::Framework => "object mappers and frameworks",
            Kind::Pool => "connection pools",
            Kind::Between => "poolers and balancers",
            Kind::Server => "servers",
            Kind::Tls => "TLS libraries",
            Kind::Ssh => "SSH",
            Kind::System => "operating systems, runtimes and resolvers",
        }
    }
}

/// How the messages of a component were come by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Source {
    /// The component was made to fail, here.
    Measured,
    /// They stand in its published package.
    Published,
    /// It does not install here: by its documentation.
    Documented,
}

impl Source {
    /// The word for the table.
    pub fn title(self) -> &'static str {
        match self {
            Source::Measured => "measured",
            Source::Published => "source",
            Source::Documented => "documented",
        }
    }
}

/// A component: who says it.
#[derive(Clone, Copy, Debug)]
pub struct Component {
    /// Its id.
    pub id: &'static str,
    /// Its name, for people.
    pub title: &'static str,
    /// What it is.
    pub kind: Kind,
    /// The engine that it speaks to, where it is one.
    pub engine: Option<&'static str>,
    /// The languages of the programs that use it.
    pub languages: &'static str,
    /// How its messages were come by.
    pub source: Source,
    /// What it says.
    pub patterns: &'static [Pattern],
}

/// A component with all that is known of it.
pub(crate) const fn component(
    id: &'static str,
    title: &'static str,
    kind: Kind,
    engine: Option<&'static str>,
    languages: &'static str,
    source: Source,
    patterns: &'static [Pattern],
) -> Component {
    Component {
        id,
        title,
        kind,
        engine,
        languages,
        source,
        patterns,
    }
}
