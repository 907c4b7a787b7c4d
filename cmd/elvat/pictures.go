package main

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"elvat/internal/cluster"
	"elvat/internal/objects"
	"elvat/internal/store"
)

// picturesCommand is about where photographs are kept.
func picturesCommand() *cobra.Command {
	top := &cobra.Command{Use: "pictures", Short: "Where photographs are kept: in the database, or in an object storage (pictures.json)"}
	path := top.PersistentFlags().String("db", defaultDatabase, "the database file, or cluster:FOLDER:SHOP")
	move := &cobra.Command{
		Use: "move", Short: "Move those in the database to the storage that pictures.json names, while work goes on", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withStore(cmd, *path, func(s *store.Store) error {
				b, err := bucketOf(*path)
				if err != nil {
					return err
				}
				moved, err := s.MovePictures(cmd.Context(), b)
				fmt.Fprintf(cmd.OutOrStdout(), "%d photographs moved to the storage\n", moved)
				return err
			})
		},
	}
	back := &cobra.Command{
		Use: "back", Short: "Move them into the database; then stop Elvat, and take pictures.json away", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withStore(cmd, *path, func(s *store.Store) error {
				b, err := bucketOf(*path)
				if err != nil {
					return err
				}
				s.KeepPictures(nil)
				moved, err := s.MovePictures(cmd.Context(), b)
				fmt.Fprintf(cmd.OutOrStdout(), "%d photographs moved into the database\n", moved)
				return err
			})
		},
	}
	top.AddCommand(move, back)
	return top
}

// bucketOf is the storage that the database's pictures.json names.
func bucketOf(place string) (*objects.Bucket, error) {
	file, shop := picturesOf(place)
	settings, err := objects.Read(file)
	if err != nil {
		return nil, err
	}
	if settings == nil {
		return nil, fmt.Errorf("%s: is not there: which storage?", file)
	}
	return settings.Of(shop)
}

// picturesOf is the file that says where a database's photographs are, and the shop's name there.
func picturesOf(place string) (file, shop string) {
	if folder, shop, ok := cluster.Place(place); ok {
		return filepath.Join(folder, objects.File), shop
	}
	return picturesOfFile(place)
}
